import type { Piece } from './motion-file.js';

/** Bytes that a number takes at most: 21 digits before the point and 6 behind it, with its sign and what follows. */
const NUMBER = 32;
/** Bytes of a piece, about. */
const PIECE = 1 << 18;
const MILLION = 1e6;
/** Up to here a number times a million is a whole number exactly. */
const EXACT = Number.MAX_SAFE_INTEGER / MILLION;

const encoder = new TextEncoder();

/** Text of a file as bytes, in pieces that follow one another from byte `at` on. Numbers have six decimals. */
export interface Lines {
  /** Room for a line of so many numbers; to be asked for before each. */
  readonly line: (numbers: number) => void;
  /** Writes a number and the character after it. Without `trim` zeros at the end stay. */
  readonly number: (value: number, after: number, trim?: boolean) => void;
  readonly text: (text: string) => void;
  /** What was written since it was asked for last. */
  readonly pieces: () => Piece[];
}

export function newLines(from = 0): Lines {
  let at = from;
  let out = new Uint8Array(PIECE);
  let used = 0;
  let done: Piece[] = [];
  const end = () => {
    if (used === 0) return;
    done.push({ at, bytes: out.slice(0, used) });
    at += used;
    used = 0;
  };
  const put = (bytes: Uint8Array) => {
    room(bytes.length);
    out.set(bytes, used);
    used += bytes.length;
  };
  const room = (bytes: number) => {
    if (used + bytes <= out.length) return;
    end();
    if (bytes > out.length) out = new Uint8Array(bytes);
  };
  return {
    line: (numbers) => room(NUMBER * numbers),
    number(value, after, trim = false) {
      const size = Math.abs(value);
      if (!(size < EXACT)) {
        put(encoder.encode(trim ? String(value) : value.toFixed(6)));
        out[used++] = after;
        return;
      }
      const millionths = Math.round(size * MILLION);
      const whole = Math.floor(millionths / MILLION);
      if (value < 0 && millionths > 0) out[used++] = MINUS;
      used = writeDigits(out, used, whole);
      let rest = millionths - whole * MILLION;
      if (!trim || rest > 0) {
        out[used] = POINT;
        for (let place = 6; place > 0; place--) {
          const tenth = Math.floor(rest / 10);
          out[used + place] = ZERO + rest - 10 * tenth;
          rest = tenth;
        }
        used += 7;
        if (trim) while (out[used - 1] === ZERO) used--;
      }
      out[used++] = after;
    },
    text: (text) => put(encoder.encode(text)),
    pieces() {
      end();
      const pieces = done;
      done = [];
      return pieces;
    },
  };
}

const MINUS = 0x2d;
const POINT = 0x2e;
const ZERO = 0x30;

/** Writes a whole number that is not negative, and returns where it ends. */
function writeDigits(out: Uint8Array, at: number, whole: number): number {
  let digits = 1;
  for (let most = 10; most <= whole; most *= 10) digits++;
  let rest = whole;
  for (let place = at + digits - 1; place >= at; place--) {
    const tenth = Math.floor(rest / 10);
    out[place] = ZERO + rest - 10 * tenth;
    rest = tenth;
  }
  return at + digits;
}
