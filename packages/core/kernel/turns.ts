/**
 * Blends rotations that are keyed as Euler angles into the poses of a block of frames, two frames at once and in 64 bits.
 * The sums are those of `math/` in the same order, so that the result is the same to the bit.
 * `src/evaluate/turn-kernel.ts` feeds it.
 *
 * All but the poses are rows: a number for every frame of the block, one after the other.
 *
 *   α | x y z w of the content | terms of the series of both operands
 *
 * Behind them lie the poses, each of them the x y z w of one joint after the other, and what is to be blended: for each
 * joint its place in the pose, its axes and their sign, 32 bytes, and three rows with its first, middle and last angle.
 */

import { both, num, smallSine } from './pairs';

/** Bytes of a row: 32 frames. */
const ROW: usize = 256;
/** Terms of the series of slerp: as in `math/quaternion.ts`. */
const TERMS: i32 = 12;

const ALPHAS: usize = 2048;
const CONTENT: usize = ALPHAS + ROW;
const OF_BELOW: usize = CONTENT + 4 * ROW;
const OF_CONTENT: usize = OF_BELOW + 13 * ROW;

/** Writes the coefficients of slerp for α of each frame. They serve all joints that count alike. */
function prepareTurns(): void {
  for (let o: usize = 0; o < ROW; o += 16) {
    const t = v128.load(ALPHAS + o);
    writeSeries(f64x2.mul(num(2), f64x2.sub(num(1), t)), OF_BELOW + o);
    writeSeries(f64x2.mul(num(2), t), OF_CONTENT + o);
  }
}

// @ts-ignore: decorator
@inline
function writeSeries(s: v128, out: usize): void {
  const ss = f64x2.mul(s, s);
  let product = s;
  v128.store(out, product);
  for (let k = 1; k <= TERMS; k++) {
    const part: f64 = 1.0 / <f64>(k * (2 * k + 1));
    product = f64x2.mul(product, f64x2.mul(f64x2.sub(num(<f64>(k * k)), ss), num(part)));
    v128.store(out + <usize>k * ROW, product);
  }
}

// @ts-ignore: decorator
@inline
function pair(terms: usize, k: usize, y: v128): v128 {
  return f64x2.add(v128.load(terms + k * ROW), f64x2.mul(y, v128.load(terms + (k + 1) * ROW)));
}

// @ts-ignore: decorator
@inline
function series(terms: usize, y: v128): v128 {
  const yy = f64x2.mul(y, y);
  let sum = v128.load(terms + 12 * ROW);
  sum = f64x2.add(f64x2.mul(sum, yy), pair(terms, 10, y));
  sum = f64x2.add(f64x2.mul(sum, yy), pair(terms, 8, y));
  sum = f64x2.add(f64x2.mul(sum, yy), pair(terms, 6, y));
  sum = f64x2.add(f64x2.mul(sum, yy), pair(terms, 4, y));
  sum = f64x2.add(f64x2.mul(sum, yy), pair(terms, 2, y));
  return f64x2.add(f64x2.mul(sum, yy), pair(terms, 0, y));
}

/** An angle less its whole turns: `withinTurn` of `math/elementary.ts`. */
// @ts-ignore: decorator
@inline
function withinTurn(angle: v128): v128 {
  const half = num(3.141592653589793);
  const within = f64x2.le(f64x2.abs(angle), half);
  if (v128.all_true<i64>(within)) return angle;
  const turns = f64x2.floor(f64x2.add(f64x2.div(angle, num(6.283185307179586)), num(0.5)));
  const quarters = f64x2.mul(num(4), turns);
  let left = f64x2.sub(angle, f64x2.mul(quarters, num(1.5707963267341256)));
  left = f64x2.sub(left, f64x2.mul(quarters, num(6.077100506303966e-11)));
  left = f64x2.sub(left, f64x2.mul(quarters, num(2.0222662487959506e-21)));
  return v128.bitselect(angle, f64x2.max(f64x2.neg(half), f64x2.min(half, left)), within);
}

/** Sine of a quarter of an angle. */
// @ts-ignore: decorator
@inline
function quarterSine(angle: v128): v128 {
  return smallSine(f64x2.mul(num(0.25), withinTurn(angle)));
}

// @ts-ignore: decorator
@inline
function three(a: v128, b: v128, c: v128): v128 {
  return f64x2.mul(f64x2.mul(a, b), c);
}

// @ts-ignore: decorator
@inline
function sum(a: v128, wa: v128, b: v128, wb: v128): v128 {
  return f64x2.add(f64x2.mul(a, wa), f64x2.mul(b, wb));
}

/**
 * Writes the quaternions of the angles at two frames, times `factor`, to the rows of the content. `a`, `b` and `c` are first,
 * middle and last axis of the order, 0 for x, and `e` is its sign.
 */
// @ts-ignore: decorator
@inline
function makeTurn(angles: usize, o: usize, factor: v128, a: usize, b: usize, c: usize, e: v128): void {
  const one = num(1);
  const two = num(2);
  const ha = quarterSine(f64x2.mul(factor, v128.load(angles + o)));
  const hb = quarterSine(f64x2.mul(factor, v128.load(angles + ROW + o)));
  const hc = quarterSine(f64x2.mul(factor, v128.load(angles + 2 * ROW + o)));
  const da = f64x2.mul(two, ha), db = f64x2.mul(two, hb), dc = f64x2.mul(two, hc);
  const sa = f64x2.mul(da, f64x2.sqrt(f64x2.sub(one, f64x2.mul(ha, ha))));
  const ca = f64x2.sub(one, f64x2.mul(da, ha));
  const sb = f64x2.mul(db, f64x2.sqrt(f64x2.sub(one, f64x2.mul(hb, hb))));
  const cb = f64x2.sub(one, f64x2.mul(db, hb));
  const sc = f64x2.mul(dc, f64x2.sqrt(f64x2.sub(one, f64x2.mul(hc, hc))));
  const cc = f64x2.sub(one, f64x2.mul(dc, hc));
  const esa = f64x2.mul(e, sa);
  const eca = f64x2.mul(e, ca);
  v128.store(CONTENT + a * ROW + o, f64x2.add(three(sa, cb, cc), three(eca, sb, sc)));
  v128.store(CONTENT + b * ROW + o, f64x2.sub(three(ca, sb, cc), three(esa, cb, sc)));
  v128.store(CONTENT + c * ROW + o, f64x2.add(three(ca, cb, sc), three(esa, sb, cc)));
  v128.store(CONTENT + 3 * ROW + o, f64x2.sub(three(ca, cb, cc), three(esa, sb, sc)));
}

/** Writes a number of the pose at two frames, where the layer counts. */
// @ts-ignore: decorator
@inline
function keep(one: usize, other: usize, at: usize, before: v128, after: v128, counts: v128): void {
  const number = v128.bitselect(after, before, counts);
  v128.store64_lane(one + at, number, 0);
  v128.store64_lane(other + at, number, 1);
}

/**
 * Blends some joints at every frame; the next pose is `stride` bytes on. `list` has what is to be blended, of `count`
 * joints.
 *
 *   override   pose = slerp(pose, content, α)
 *   additive   pose = pose · content, made of α times the angles
 */
export function blendTurns(list: usize, count: i32, poses: usize, stride: usize, additive: i32): void {
  if (!additive) prepareTurns();
  for (; count > 0; count--, list += 32 + 3 * ROW) {
    const pose = poses + <usize>load<i32>(list);
    const a = <usize>load<i32>(list, 4), b = <usize>load<i32>(list, 8), c = <usize>load<i32>(list, 12);
    const sign = num(load<f64>(list, 16));
    if (additive) addTurns(list + 32, pose, stride, a, b, c, sign);
    else overrideTurns(list + 32, pose, stride, a, b, c, sign);
  }
}

function overrideTurns(angles: usize, pose: usize, stride: usize, a: usize, b: usize, c: usize, sign: v128): void {
  for (let o: usize = 0; o < ROW; o += 16, pose += 2 * stride) {
    const alpha = v128.load(ALPHAS + o);
    const counts = f64x2.gt(alpha, num(0));
    if (!v128.any_true(counts)) continue;
    makeTurn(angles, o, num(1), a, b, c, sign);
    const p = pose;
    const r = pose + stride;
    const q = CONTENT + o;
    const px = both(p, r), py = both(p + 8, r + 8), pz = both(p + 16, r + 16), pw = both(p + 24, r + 24);
    const qx = v128.load(q), qy = v128.load(q + ROW), qz = v128.load(q + 2 * ROW), qw = v128.load(q + 3 * ROW);
    const dot = f64x2.add(
      f64x2.add(f64x2.add(f64x2.mul(px, qx), f64x2.mul(py, qy)), f64x2.mul(pz, qz)),
      f64x2.mul(pw, qw),
    );
    const cosine = f64x2.sqrt(f64x2.mul(f64x2.add(num(1), f64x2.abs(dot)), num(0.5)));
    const y = f64x2.sub(num(1), cosine);
    const part = f64x2.div(num(0.5), cosine);
    const u = f64x2.mul(series(OF_BELOW + o, y), part);
    const v = f64x2.mul(
      series(OF_CONTENT + o, y),
      v128.bitselect(f64x2.neg(part), part, f64x2.lt(dot, num(0))),
    );
    const whole = f64x2.eq(alpha, num(1));
    keep(p, r, 0, px, v128.bitselect(qx, sum(u, px, v, qx), whole), counts);
    keep(p, r, 8, py, v128.bitselect(qy, sum(u, py, v, qy), whole), counts);
    keep(p, r, 16, pz, v128.bitselect(qz, sum(u, pz, v, qz), whole), counts);
    keep(p, r, 24, pw, v128.bitselect(qw, sum(u, pw, v, qw), whole), counts);
  }
}

function addTurns(angles: usize, pose: usize, stride: usize, a: usize, b: usize, c: usize, sign: v128): void {
  for (let o: usize = 0; o < ROW; o += 16, pose += 2 * stride) {
    const alpha = v128.load(ALPHAS + o);
    const counts = f64x2.gt(alpha, num(0));
    if (!v128.any_true(counts)) continue;
    makeTurn(angles, o, alpha, a, b, c, sign);
    const p = pose;
    const r = pose + stride;
    const q = CONTENT + o;
    const px = both(p, r), py = both(p + 8, r + 8), pz = both(p + 16, r + 16), pw = both(p + 24, r + 24);
    const qx = v128.load(q), qy = v128.load(q + ROW), qz = v128.load(q + 2 * ROW), qw = v128.load(q + 3 * ROW);
    const x = f64x2.sub(f64x2.add(sum(pw, qx, px, qw), f64x2.mul(py, qz)), f64x2.mul(pz, qy));
    const yz = f64x2.sub(f64x2.mul(pw, qy), f64x2.mul(px, qz));
    const y = f64x2.add(f64x2.add(yz, f64x2.mul(py, qw)), f64x2.mul(pz, qx));
    const z = f64x2.add(f64x2.sub(sum(pw, qz, px, qy), f64x2.mul(py, qx)), f64x2.mul(pz, qw));
    const ww = f64x2.sub(f64x2.mul(pw, qw), f64x2.mul(px, qx));
    const w = f64x2.sub(f64x2.sub(ww, f64x2.mul(py, qy)), f64x2.mul(pz, qz));
    keep(p, r, 0, px, x, counts);
    keep(p, r, 8, py, y, counts);
    keep(p, r, 16, pz, z, counts);
    keep(p, r, 24, pw, w, counts);
  }
}
