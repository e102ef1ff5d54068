import { arcTangent, smallSine, withinTurn } from './elementary.js';
import type { Numbers } from './numbers.js';

/**
 * Euler orders, written as the product is written: `ZYX` means `R = Rz(rz) · Ry(ry) · Rx(rx)`, the order in
 * which a BVH file lists its channels. Angles are radians, and always stored as `(rx, ry, rz)`.
 */
export const EULER_ORDERS = ['XYZ', 'YZX', 'ZXY', 'XZY', 'YXZ', 'ZYX'] as const;
export type EulerOrder = (typeof EULER_ORDERS)[number];

/** First, middle and last axis (0 = x) of each order, and its sign: +1 for the cyclic ones. */
export const EULER_AXES: Record<EulerOrder, readonly [number, number, number, number]> = {
  XYZ: [0, 1, 2, 1],
  YZX: [1, 2, 0, 1],
  ZXY: [2, 0, 1, 1],
  XZY: [0, 2, 1, -1],
  YXZ: [1, 0, 2, -1],
  ZYX: [2, 1, 0, -1],
};

const point = new Float64Array(2);

/**
 * Writes the unit quaternion of the angles `(rx, ry, rz)` in radians at `angles[i..i+2]` (Diebel, Representing
 * Attitude, 2006).
 */
export function eulerToQuaternion(
  out: Numbers,
  o: number,
  order: EulerOrder,
  angles: Numbers,
  i: number,
): void {
  const [a, b, c, e] = EULER_AXES[order];
  const ha = smallSine(0.25 * withinTurn(angles[i + a]));
  const hb = smallSine(0.25 * withinTurn(angles[i + b]));
  const hc = smallSine(0.25 * withinTurn(angles[i + c]));
  // Sine and cosine of half an angle by those of a quarter of it; the three at once keep the processor busy.
  const sa = 2 * ha * Math.sqrt(1 - ha * ha);
  const ca = 1 - 2 * ha * ha;
  const sb = 2 * hb * Math.sqrt(1 - hb * hb);
  const cb = 1 - 2 * hb * hb;
  const sc = 2 * hc * Math.sqrt(1 - hc * hc);
  const cc = 1 - 2 * hc * hc;
  out[o + a] = sa * cb * cc + e * ca * sb * sc;
  out[o + b] = ca * sb * cc - e * sa * cb * sc;
  out[o + c] = ca * cb * sc + e * sa * sb * cc;
  out[o + 3] = ca * cb * cc - e * sa * sb * sc;
}

/**
 * Decomposes a quaternion into `(rx, ry, rz)` radians at `out[o..o+2]`: the triple whose middle angle
 * lies in [-π/2, π/2]. At a pole the last angle of the order is 0.
 */
export function quaternionToEuler(out: Numbers, o: number, order: EulerOrder, q: Numbers, i: number): void {
  const [a, b, c, e] = EULER_AXES[order];
  const qa = q[i + a];
  const qb = q[i + b];
  const qc = q[i + c];
  const w = q[i + 3];
  // Elements of the rotation matrix, named row-column by position in the order. A quaternion that is not of length 1 to the
  // last bit would miss much near a pole.
  const squared = qa * qa + qb * qb + qc * qc + w * w;
  const two = squared > 0 ? 2 / squared : 2;
  const ac = two * (qa * qc + e * w * qb);
  const bc = two * (qb * qc - e * w * qa);
  const cc = 1 - two * (qa * qa + qb * qb);
  const ab = two * (qa * qb - e * w * qc);
  const aa = 1 - two * (qb * qb + qc * qc);
  const middle = Math.sqrt(aa * aa + ab * ab);
  point[0] = middle;
  point[1] = e * ac;
  arcTangent(point, 0, out, o + b);
  if (middle > 1e-9) {
    point[0] = cc;
    point[1] = -e * bc;
    arcTangent(point, 0, out, o + a);
    point[0] = aa;
    point[1] = -e * ab;
    arcTangent(point, 0, out, o + c);
  } else {
    const cb = two * (qb * qc + e * w * qa);
    const bb = 1 - two * (qa * qa + qc * qc);
    point[0] = bb;
    point[1] = e * cb;
    arcTangent(point, 0, out, o + a);
    out[o + c] = 0;
  }
}

const TURN = 2 * Math.PI;

function nearestTurn(angle: number, to: number): number {
  return angle + TURN * Math.round((to - angle) / TURN);
}

/**
 * Of the two triples that mean the same rotation, and their full turns, puts the one nearest to `near` into
 * `out`. The second triple of `(α, β, γ)` is `(α + π, π - β, γ + π)`, in the order's own sequence.
 */
export function unwindEuler(out: Numbers, o: number, order: EulerOrder, near: Numbers, j: number): void {
  // Within a sixth of a turn of all three, the other triple is further: by a third of a turn at least in two of them.
  let close = true;
  for (let axis = 0; axis < 3; axis++) close &&= Math.abs(out[o + axis] - near[j + axis]) < Math.PI / 3;
  if (close) return;
  const [a, b, c] = EULER_AXES[order];
  let d1 = 0;
  let d2 = 0;
  for (let k = 0; k < 3; k++) {
    const axis = k === 0 ? a : k === 1 ? b : c;
    const n = near[j + axis];
    const angle = nearestTurn(out[o + axis], n);
    const other = nearestTurn(axis === b ? Math.PI - out[o + axis] : out[o + axis] + Math.PI, n);
    d1 += (angle - n) * (angle - n);
    d2 += (other - n) * (other - n);
  }
  const second = d2 < d1 - 1e-12;
  for (let k = 0; k < 3; k++) {
    const axis = k === 0 ? a : k === 1 ? b : c;
    const angle = out[o + axis];
    const other = axis === b ? Math.PI - angle : angle + Math.PI;
    out[o + axis] = nearestTurn(second ? other : angle, near[j + axis]);
  }
}

export const DEGREES = 180 / Math.PI;
export const RADIANS = Math.PI / 180;
