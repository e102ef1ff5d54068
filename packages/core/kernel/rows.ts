/**
 * Writes rows of numbers with six decimals as text: angles of rotations in degrees, and translations. Rotations become Euler
 * angles two joints at once and in 64 bits. The sums are those of `math/` in the same order, so that the text is the
 * same to the letter. `src/format/row-kernel.ts` feeds it, and says what lies where.
 */
import { both, num, smallSine } from './pairs';

const SPACE: i32 = 0x20;
const NEW_LINE: i32 = 0x0a;
const MINUS: i32 = 0x2d;
const POINT: i32 = 0x2e;

/** Where the kernel leaves how far the text goes. */
const END: usize = 1024;
/** The digits of the numbers up to 999 as text, in four bytes each. */
const THREES: usize = 2048;
/** Joints, 32 bytes each: where in a rotation first, middle and last axis are, in bytes, and the sign of the order. */
const JOINTS: usize = 8192;

/** Up to here a number times a million is a whole number exactly. */
const EXACT: f64 = 9007199254740991.0 / 1000000.0;
const PI: f64 = 3.141592653589793;
const TURN: f64 = 2.0 * PI;

/** `arcTangent` of `math/elementary.ts`, of two points. */
function arcTangents(x: v128, y: v128): v128 {
  const ax = f64x2.abs(x);
  const ay = f64x2.abs(y);
  const steep = f64x2.gt(ay, ax);
  const q = f64x2.div(v128.bitselect(ax, ay, steep), v128.bitselect(ay, ax, steep));
  const slope = f64x2.add(num(PI / 4.0), f64x2.mul(num(0.273), f64x2.sub(num(1), q)));
  const part = f64x2.mul(q, slope);
  const guess = v128.bitselect(f64x2.sub(num(PI / 2.0), part), part, steep);
  const half = smallSine(f64x2.mul(num(0.5), guess));
  const square = f64x2.mul(half, half);
  const sine = f64x2.mul(f64x2.mul(num(2), half), f64x2.sqrt(f64x2.sub(num(1), square)));
  const cosine = f64x2.sub(num(1), f64x2.mul(num(2), square));
  const over = f64x2.sub(f64x2.mul(ay, cosine), f64x2.mul(ax, sine));
  const t = f64x2.div(over, f64x2.add(f64x2.mul(ax, cosine), f64x2.mul(ay, sine)));
  const z = f64x2.mul(t, t);
  let series = f64x2.sub(num(1.0 / 5.0), f64x2.div(z, num(7)));
  series = f64x2.sub(num(1.0 / 3.0), f64x2.mul(z, series));
  series = f64x2.sub(num(1), f64x2.mul(z, series));
  const first = f64x2.add(guess, f64x2.mul(t, series));
  const upper = v128.bitselect(f64x2.sub(num(PI), first), first, f64x2.lt(x, num(0)));
  const angle = v128.bitselect(f64x2.neg(upper), upper, f64x2.lt(y, num(0)));
  return v128.bitselect(num(0), angle, v128.and(f64x2.eq(ax, num(0)), f64x2.eq(ay, num(0))));
}

/** Writes the Euler angles of two joints: `quaternionToEuler` of `math/euler.ts`. */
function turnsToAngles(one: usize, other: usize, p: usize, r: usize, to: usize, too: usize): void {
  const a = <usize>load<i32>(one), b = <usize>load<i32>(one, 4), c = <usize>load<i32>(one, 8);
  const d = <usize>load<i32>(other), e = <usize>load<i32>(other, 4), f = <usize>load<i32>(other, 8);
  const sign = both(one + 16, other + 16);
  const qa = both(p + a, r + d), qb = both(p + b, r + e), qc = both(p + c, r + f);
  const w = both(p + 24, r + 24);
  const ew = f64x2.mul(sign, w);
  const aaaa = f64x2.mul(qa, qa), bbbb = f64x2.mul(qb, qb), cccc = f64x2.mul(qc, qc);
  const squared = f64x2.add(f64x2.add(f64x2.add(aaaa, bbbb), cccc), f64x2.mul(w, w));
  const two = v128.bitselect(f64x2.div(num(2), squared), num(2), f64x2.gt(squared, num(0)));
  const ac = f64x2.mul(two, f64x2.add(f64x2.mul(qa, qc), f64x2.mul(ew, qb)));
  const bc = f64x2.mul(two, f64x2.sub(f64x2.mul(qb, qc), f64x2.mul(ew, qa)));
  const cc = f64x2.sub(num(1), f64x2.mul(two, f64x2.add(aaaa, bbbb)));
  const ab = f64x2.mul(two, f64x2.sub(f64x2.mul(qa, qb), f64x2.mul(ew, qc)));
  const aa = f64x2.sub(num(1), f64x2.mul(two, f64x2.add(bbbb, cccc)));
  const middle = f64x2.sqrt(f64x2.add(f64x2.mul(aa, aa), f64x2.mul(ab, ab)));
  const against = f64x2.neg(sign);
  let first = arcTangents(cc, f64x2.mul(against, bc));
  let last = arcTangents(aa, f64x2.mul(against, ab));
  const free = f64x2.gt(middle, num(1e-9));
  if (!v128.all_true<i64>(free)) {
    const cb = f64x2.mul(two, f64x2.add(f64x2.mul(qb, qc), f64x2.mul(ew, qa)));
    const bb = f64x2.sub(num(1), f64x2.mul(two, f64x2.add(aaaa, cccc)));
    first = v128.bitselect(first, arcTangents(bb, f64x2.mul(sign, cb)), free);
    last = v128.bitselect(last, num(0), free);
  }
  write(first, to + a, too + d);
  write(arcTangents(middle, f64x2.mul(sign, ac)), to + b, too + e);
  write(last, to + c, too + f);
}

// @ts-ignore: decorator
@inline
function write(numbers: v128, one: usize, other: usize): void {
  v128.store64_lane(one, numbers, 0);
  v128.store64_lane(other, numbers, 1);
}

/** The next whole number, of two the larger one. */
// @ts-ignore: decorator
@inline
function round(x: f64): f64 {
  const below = Math.floor(x);
  return x - below >= 0.5 ? below + 1 : below;
}

// @ts-ignore: decorator
@inline
function nearestTurn(angle: f64, to: f64): f64 {
  return angle + TURN * round((to - angle) / TURN);
}

/** `unwindEuler` of `math/euler.ts`. */
function unwind(joint: usize, at: usize, near: usize): void {
  const third = PI / 3.0;
  if (
    Math.abs(load<f64>(at) - load<f64>(near)) < third &&
    Math.abs(load<f64>(at, 8) - load<f64>(near, 8)) < third &&
    Math.abs(load<f64>(at, 16) - load<f64>(near, 16)) < third
  ) return;
  let d1: f64 = 0;
  let d2: f64 = 0;
  for (let k: usize = 0; k < 12; k += 4) {
    const axis = <usize>load<i32>(joint + k);
    const n = load<f64>(near + axis);
    const angle = load<f64>(at + axis);
    const one = nearestTurn(angle, n) - n;
    const other = nearestTurn(k == 4 ? PI - angle : angle + PI, n) - n;
    d1 += one * one;
    d2 += other * other;
  }
  const second = d2 < d1 - 1e-12;
  for (let k: usize = 0; k < 12; k += 4) {
    const axis = <usize>load<i32>(joint + k);
    const angle = load<f64>(at + axis);
    const other = k == 4 ? PI - angle : angle + PI;
    store<f64>(at + axis, nearestTurn(second ? other : angle, load<f64>(near + axis)));
  }
}

/** Writes a whole number, and returns where it ends. */
function writeWhole(out: usize, whole: u32): usize {
  if (whole >= 1000) {
    const end = writeWhole(out, whole / 1000);
    store<u32>(end, load<u32>(THREES + <usize>(whole % 1000) * 4));
    return end + 3;
  }
  const digits = load<u32>(THREES + <usize>whole * 4);
  if (whole >= 100) {
    store<u32>(out, digits);
    return out + 3;
  }
  if (whole >= 10) {
    store<u32>(out, digits >> 8);
    return out + 2;
  }
  store<u32>(out, digits >> 16);
  return out + 1;
}

/** Writes six decimals of a number that has less than four billion millionths. */
// @ts-ignore: decorator
@inline
function writeSmall(out: usize, millionths: u32): usize {
  const whole = millionths / 1000000;
  const end = writeWhole(out, whole);
  writeRest(end, millionths - whole * 1000000);
  return end + 7;
}

// @ts-ignore: decorator
@inline
function writeRest(out: usize, rest: u32): void {
  store<u8>(out, POINT);
  store<u32>(out, load<u32>(THREES + <usize>(rest / 1000) * 4), 1);
  store<u32>(out, load<u32>(THREES + <usize>(rest % 1000) * 4), 4);
}

/** A number that has more of them. */
function writeLarge(out: usize, millionths: f64): usize {
  const whole = Math.floor(millionths / 1000000.0);
  const rest = <u32>(millionths - whole * 1000000.0);
  const billions = Math.floor(whole / 1000000000.0);
  let end = out;
  let left = whole;
  if (billions > 0) {
    end = writeWhole(end, <u32>billions);
    left -= billions * 1000000000.0;
    const low = <u32>left;
    store<u32>(end, load<u32>(THREES + <usize>(low / 1000000) * 4));
    store<u32>(end, load<u32>(THREES + <usize>((low / 1000) % 1000) * 4), 3);
    store<u32>(end, load<u32>(THREES + <usize>(low % 1000) * 4), 6);
    end += 9;
  } else end = writeWhole(end, <u32>left);
  writeRest(end, rest);
  return end + 7;
}

/**
 * Writes `rows` rows. Rotations and translations lie row by row, `stride` joints in each, of which the first `joints` are
 * written. A column has 16 bytes: where its number is among the translations of a row, or -1 less where it is
 * among the angles, in bytes; and what it is multiplied by. Stops before a row that has a number which is too large or
 * none, whose angles do not become those before. Returns how many rows were written.
 */
export function writeRows(
  rows: i32,
  joints: i32,
  stride: i32,
  columns: usize,
  columnsEnd: usize,
  angles: usize,
  before: usize,
  turns: usize,
  moves: usize,
  text: usize,
): i32 {
  let end = text;
  let row: i32 = 0;
  for (; row < rows; row++) {
    for (let j: i32 = 0; j < joints; j += 2) {
      const one = <usize>j;
      const other = <usize>(j + 1 < joints ? j + 1 : j);
      turnsToAngles(JOINTS + 32 * one, JOINTS + 32 * other, turns + 32 * one, turns + 32 * other, angles + 24 * one, angles + 24 * other);
    }
    for (let j: usize = 0; j < <usize>joints; j++) unwind(JOINTS + 32 * j, angles + 24 * j, before + 24 * j);
    let out = end;
    for (let column = columns; column < columnsEnd; column += 16) {
      const at = load<i32>(column);
      const value = load<f64>(at < 0 ? angles + <usize>(-1 - at) : moves + <usize>at) * load<f64>(column, 8);
      const size = Math.abs(value);
      if (!(size < EXACT)) {
        store<u32>(END, <u32>end);
        return row;
      }
      const millionths = round(size * 1000000.0);
      if (value < 0 && millionths > 0) store<u8>(out++, MINUS);
      out = millionths < 4294967295.0 ? writeSmall(out, <u32>millionths) : writeLarge(out, millionths);
      store<u8>(out++, column + 16 < columnsEnd ? SPACE : NEW_LINE);
    }
    memory.copy(before, angles, 24 * <usize>joints);
    end = out;
    turns += 32 * <usize>stride;
    moves += 24 * <usize>stride;
  }
  store<u32>(END, <u32>end);
  return row;
}
