import { arcTangent, sinCos } from './elementary.js';
import type { Numbers } from './numbers.js';

/**
 * Hamilton quaternions stored `(x, y, z, w)` in flat buffers.
 *
 * Every function writes to `out` at offset `o` and reads its operands at their offsets, so that a whole
 * pose lives in one `Float64Array` and nothing is allocated. `out` may be one of the operands.
 */

/** `out = a · b`: first `b`, then `a`, as with matrices on column vectors. */
export function multiply(out: Numbers, o: number, a: Numbers, i: number, b: Numbers, j: number): void {
  const ax = a[i];
  const ay = a[i + 1];
  const az = a[i + 2];
  const aw = a[i + 3];
  const bx = b[j];
  const by = b[j + 1];
  const bz = b[j + 2];
  const bw = b[j + 3];
  out[o] = aw * bx + ax * bw + ay * bz - az * by;
  out[o + 1] = aw * by - ax * bz + ay * bw + az * bx;
  out[o + 2] = aw * bz + ax * by - ay * bx + az * bw;
  out[o + 3] = aw * bw - ax * bx - ay * by - az * bz;
}

/** `out = a⁻¹ · b` for a unit `a`: the turn that takes `a` to `b`, in the axes of `a`. */
export function multiplyInverse(out: Numbers, o: number, a: Numbers, i: number, b: Numbers, j: number): void {
  const ax = -a[i];
  const ay = -a[i + 1];
  const az = -a[i + 2];
  const aw = a[i + 3];
  const bx = b[j];
  const by = b[j + 1];
  const bz = b[j + 2];
  const bw = b[j + 3];
  out[o] = aw * bx + ax * bw + ay * bz - az * by;
  out[o + 1] = aw * by - ax * bz + ay * bw + az * bx;
  out[o + 2] = aw * bz + ax * by - ay * bx + az * bw;
  out[o + 3] = aw * bw - ax * bx - ay * by - az * bz;
}

/** `out = a · b⁻¹` for a unit `b`: the turn that takes `b` to `a`, in the axes both are written in. */
export function multiplyByInverse(
  out: Numbers,
  o: number,
  a: Numbers,
  i: number,
  b: Numbers,
  j: number,
): void {
  const ax = a[i];
  const ay = a[i + 1];
  const az = a[i + 2];
  const aw = a[i + 3];
  const bx = -b[j];
  const by = -b[j + 1];
  const bz = -b[j + 2];
  const bw = b[j + 3];
  out[o] = aw * bx + ax * bw + ay * bz - az * by;
  out[o + 1] = aw * by - ax * bz + ay * bw + az * bx;
  out[o + 2] = aw * bz + ax * by - ay * bx + az * bw;
  out[o + 3] = aw * bw - ax * bx - ay * by - az * bz;
}

/** Scales a quaternion to length 1; the identity where it has no length. */
export function normalize(out: Numbers, o: number): void {
  const squared = out[o] ** 2 + out[o + 1] ** 2 + out[o + 2] ** 2 + out[o + 3] ** 2;
  if (!(squared > 0)) {
    out[o] = 0;
    out[o + 1] = 0;
    out[o + 2] = 0;
    out[o + 3] = 1;
    return;
  }
  const s = 1 / Math.sqrt(squared);
  out[o] *= s;
  out[o + 1] *= s;
  out[o + 2] *= s;
  out[o + 3] *= s;
}

/** Terms of the series in {@link slerpBy} after the first. */
const TERMS = 12;

/** The coefficients of the series in {@link slerpBy}, for the weights of `a` and of `b`, and for which `t`. */
const ofA = new Float64Array(TERMS + 1);
const ofB = new Float64Array(TERMS + 1);
const tabled = Float64Array.of(Number.NaN);

/** `1 / (k(2k + 1))` */
const PARTS = Float64Array.from({ length: TERMS + 1 }, (_, k) => 1 / (k * (2 * k + 1)));

/** Writes the coefficients of `sin(sφ) / sin φ` as a series in `1 - cos φ`. */
function writeSeries(s: Float64Array, i: number, out: Float64Array): void {
  const ss = s[i] * s[i];
  let product = s[i];
  out[0] = product;
  for (let k = 1; k <= TERMS; k++) {
    product *= (k * k - ss) * PARTS[k];
    out[k] = product;
  }
}

/** The sums of both series, and for which `y`: as arguments and results numbers would be put in boxes on the heap. */
const sums = new Float64Array(3);
const Y = 2;

/** Sums a series, two terms at a time: a processor has more to do at once than with one after the other. */
function sumSeries(of: Float64Array, out: Float64Array, o: number): void {
  const y = out[Y];
  const yy = y * y;
  let sum = of[12];
  sum = sum * yy + (of[10] + y * of[11]);
  sum = sum * yy + (of[8] + y * of[9]);
  sum = sum * yy + (of[6] + y * of[7]);
  sum = sum * yy + (of[4] + y * of[5]);
  sum = sum * yy + (of[2] + y * of[3]);
  out[o] = sum * yy + (of[0] + y * of[1]);
}

const parameters = new Float64Array(2);

function writeTables(ts: Numbers, k: number): void {
  parameters[0] = 2 * (1 - ts[k]);
  parameters[1] = 2 * ts[k];
  writeSeries(parameters, 0, ofA);
  writeSeries(parameters, 1, ofB);
  tabled[0] = ts[k];
}

/**
 * Spherical linear interpolation along the shorter great circle (Shoemake, SIGGRAPH 1985), for unit `a`, `b`, at
 * `t = ts[k]`. It may leave [0, 1], up to [-1, 2]: the turn goes on at the same rate. At 0 and 1 the ends come out
 * exactly.
 *
 * With φ half the angle between the two, the weight of `b` is `sin(2tφ) / sin 2φ`, and `sin(sφ) / sin φ` is the
 * series `s · (1 + b₁y · (1 + b₂y · (1 + ...)))` in `y = 1 - cos φ` with `bₖ = (k² - s²) / (k(2k + 1))`, which follows
 * from the differential equation of the ratio. As φ is at most a quarter turn, twelve terms miss by 3e-12. The
 * coefficients depend on `t` alone and serve all joints that count alike.
 */
export function slerpBy(
  out: Numbers,
  o: number,
  a: Numbers,
  i: number,
  b: Numbers,
  j: number,
  ts: Numbers,
  k: number,
): void {
  if (ts[k] !== tabled[0]) writeTables(ts, k);
  const ax = a[i];
  const ay = a[i + 1];
  const az = a[i + 2];
  const aw = a[i + 3];
  const bx = b[j];
  const by = b[j + 1];
  const bz = b[j + 2];
  const bw = b[j + 3];
  const dot = ax * bx + ay * by + az * bz + aw * bw;
  const c = Math.sqrt((1 + Math.abs(dot)) * 0.5);
  sums[Y] = 1 - c;
  sumSeries(ofA, sums, 0);
  sumSeries(ofB, sums, 1);
  const part = 0.5 / c;
  const u = sums[0] * part;
  const v = sums[1] * (dot < 0 ? -part : part);
  out[o] = u * ax + v * bx;
  out[o + 1] = u * ay + v * by;
  out[o + 2] = u * az + v * bz;
  out[o + 3] = u * aw + v * bw;
}

const room = new Float64Array(3);

/** {@link slerpBy} with `t` as a number. */
export function slerp(
  out: Numbers,
  o: number,
  a: Numbers,
  i: number,
  b: Numbers,
  j: number,
  t: number,
): void {
  room[0] = t;
  slerpBy(out, o, a, i, b, j, room, 0);
}

/** `out = a` to the power `t`, by the shorter way round: the same axis, `t` times the angle, for any `t`. */
export function power(out: Numbers, o: number, a: Numbers, i: number, t: number): void {
  const sign = a[i + 3] < 0 ? -1 : 1;
  const x = a[i] * sign;
  const y = a[i + 1] * sign;
  const z = a[i + 2] * sign;
  const s = Math.sqrt(x * x + y * y + z * z);
  room[0] = a[i + 3] * sign;
  room[1] = s;
  arcTangent(room, 0, room, 0);
  room[0] *= t;
  sinCos(room, 0, room, 1);
  const k = s > 1e-12 ? room[1] / s : t;
  out[o] = x * k;
  out[o + 1] = y * k;
  out[o + 2] = z * k;
  out[o + 3] = room[2];
}

/** Writes the angle in radians, in [0, π], between two orientations. */
export function measureAngle(a: Numbers, i: number, b: Numbers, j: number, out: Numbers, o: number): void {
  const dot = a[i] * b[j] + a[i + 1] * b[j + 1] + a[i + 2] * b[j + 2] + a[i + 3] * b[j + 3];
  const sign = dot < 0 ? -1 : 1;
  // The chord tells small angles apart, where the product does not.
  let squared = 0;
  for (let k = 0; k < 4; k++) squared += (a[i + k] - sign * b[j + k]) ** 2;
  out[o] = 4 * Math.asin(Math.min(1, Math.sqrt(squared) / 2));
}

/** Angle in radians, in [0, π], between two orientations. */
export function angleBetween(a: Numbers, i: number, b: Numbers, j: number): number {
  measureAngle(a, i, b, j, room, 0);
  return room[0];
}

/** Turns the vector `v` at `j` by the unit quaternion `q` at `i`. */
export function rotate(out: Numbers, o: number, q: Numbers, i: number, v: Numbers, j: number): void {
  const x = q[i];
  const y = q[i + 1];
  const z = q[i + 2];
  const w = q[i + 3];
  const vx = v[j];
  const vy = v[j + 1];
  const vz = v[j + 2];
  const tx = 2 * (y * vz - z * vy);
  const ty = 2 * (z * vx - x * vz);
  const tz = 2 * (x * vy - y * vx);
  out[o] = vx + w * tx + y * tz - z * ty;
  out[o + 1] = vy + w * ty + z * tx - x * tz;
  out[o + 2] = vz + w * tz + x * ty - y * tx;
}
