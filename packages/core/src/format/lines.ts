import type { Samples } from '../take/take.js';
import { NUMBER, THREES } from './digits.js';
import type { ByteRange, MotionFile } from './motion-file.js';

/** Bytes of a range, about. */
const RANGE_SIZE = 1 << 18;
const MILLION = 1e6;
/** Up to here a number times a million is a whole number exactly. */
const EXACT = Number.MAX_SAFE_INTEGER / MILLION;

const encoder = new TextEncoder();

/** Bytes that a number usually takes in a file of text, with what parts it from the next. */
export const TEXT_NUMBER = 11;

/** Text of a file as bytes, in ranges that follow one another. Numbers have six decimals. */
export interface Lines {
  /** Room for a line of so many numbers; to be asked for before each. */
  readonly line: (numbers: number) => void;
  /** Writes a number and the character after it. Without `trim` zeros at the end stay. */
  readonly number: (value: number, after: number, trim?: boolean) => void;
  readonly text: (text: string) => void;
  /** Takes over text that was written elsewhere, as a copy. */
  readonly bytes: (text: Uint8Array) => void;
  /** What was written since it was asked for last. */
  readonly ranges: () => ByteRange[];
}

export function newLines(from = 0): Lines {
  let at = from;
  let out = new Uint8Array(RANGE_SIZE);
  let used = 0;
  let done: ByteRange[] = [];
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
      const rest = millionths - whole * MILLION;
      if (value < 0 && millionths > 0) out[used++] = MINUS;
      used = writeInteger(out, used, whole);
      if (!trim || rest > 0) {
        out[used] = POINT;
        writeThree(out, used + 1, (rest / 1000) | 0);
        writeThree(out, used + 4, rest % 1000);
        used += 7;
        if (trim) while (out[used - 1] === ZERO) used--;
      }
      out[used++] = after;
    },
    text: (text) => put(encoder.encode(text)),
    bytes(text) {
      if (text.length === 0) return;
      end();
      done.push({ at, bytes: text.slice() });
      at += text.length;
    },
    ranges() {
      end();
      const ranges = done;
      done = [];
      return ranges;
    },
  };
}

/** A file of text whose head is in the lines already, with what `rows` writes for some samples. */
export const fileOfLines = (
  lines: Lines,
  rows: (part: Samples) => void,
): Pick<MotionFile, 'head' | 'next' | 'tail'> => ({
  head: lines.ranges(),
  next(part) {
    rows(part);
    return lines.ranges();
  },
  tail: [],
});

const MINUS = 0x2d;
const POINT = 0x2e;
const ZERO = 0x30;

function writeThree(out: Uint8Array, at: number, number: number): void {
  const from = 3 * number;
  out[at] = THREES[from];
  out[at + 1] = THREES[from + 1];
  out[at + 2] = THREES[from + 2];
}

/** Writes a whole number that is not negative, and returns where it ends. */
function writeInteger(out: Uint8Array, at: number, whole: number): number {
  if (whole >= 1000) {
    const end = writeInteger(out, at, Math.floor(whole / 1000));
    writeThree(out, end, whole % 1000);
    return end + 3;
  }
  const from = 3 * whole;
  let to = at;
  if (whole >= 100) out[to++] = THREES[from];
  if (whole >= 10) out[to++] = THREES[from + 1];
  out[to++] = THREES[from + 2];
  return to;
}
