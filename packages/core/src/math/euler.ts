import { arcTangent, sinCos } from './elementary.js';
import type { Numbers } from './numbers.js';

/**
 * Euler orders, written as the product is written: `ZYX` means `R = Rz(rz) · Ry(ry) · Rx(rx)`, the order in
 * which a BVH file lists its channels. Angles are radians, and always stored as `(rx, ry, rz)`.
 */
export const EULER_ORDERS = ['XYZ', 'YZX', 'ZXY', 'XZY', 'YXZ', 'ZYX'] as const;
export type EulerOrder = (typeof EULER_ORDERS)[number];

/** First, middle and last axis (0 = x) of each order, and its sign: +1 for the cyclic ones. */
const AXES: Record<EulerOrder, readonly [number, number, number, number]> = {
  XYZ: [0, 1, 2, 1],
  YZX: [1, 2, 0, 1],
  ZXY: [2, 0, 1, 1],
  XZY: [0, 2, 1, -1],
  YXZ: [1, 0, 2, -1],
  ZYX: [2, 1, 0, -1],
};

const half = new Float64Array(3);
const circle = new Float64Array(6);
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
  const axes = AXES[order];
  const e = axes[3];
  half[0] = angles[i + axes[0]] / 2;
  half[1] = angles[i + axes[1]] / 2;
  half[2] = angles[i + axes[2]] / 2;
  sinCos(half, 0, circle, 0);
  sinCos(half, 1, circle, 2);
  sinCos(half, 2, circle, 4);
  const sa = circle[0];
  const ca = circle[1];
  const sb = circle[2];
  const cb = circle[3];
  const sc = circle[4];
  const cc = circle[5];
  out[o + axes[0]] = sa * cb * cc + e * ca * sb * sc;
  out[o + axes[1]] = ca * sb * cc - e * sa * cb * sc;
  out[o + axes[2]] = ca * cb * sc + e * sa * sb * cc;
  out[o + 3] = ca * cb * cc - e * sa * sb * sc;
}

/**
 * Decomposes a unit quaternion into `(rx, ry, rz)` radians at `out[o..o+2]`: the triple whose middle angle
 * lies in [-π/2, π/2]. At a pole the last angle of the order is 0.
 */
export function quaternionToEuler(out: Numbers, o: number, order: EulerOrder, q: Numbers, i: number): void {
  const [a, b, c, e] = AXES[order];
  const qa = q[i + a];
  const qb = q[i + b];
  const qc = q[i + c];
  const w = q[i + 3];
  // Elements of the rotation matrix, named row-column by position in the order.
  const ac = 2 * (qa * qc + e * w * qb);
  const bc = 2 * (qb * qc - e * w * qa);
  const cc = 1 - 2 * (qa * qa + qb * qb);
  const ab = 2 * (qa * qb - e * w * qc);
  const aa = 1 - 2 * (qb * qb + qc * qc);
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
    const cb = 2 * (qb * qc + e * w * qa);
    const bb = 1 - 2 * (qa * qa + qc * qc);
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
  const [a, b, c] = AXES[order];
  let d1 = 0;
  let d2 = 0;
  for (let k = 0; k < 3; k++) {
    const axis = k === 0 ? a : k === 1 ? b : c;
    const n = near[j + axis];
    const angle = nearestTurn(out[o + axis], n);
    const other = nearestTurn(axis === b ? Math.PI - out[o + axis] : out[o + axis] + Math.PI, n);
    d1 += (angle - n) ** 2;
    d2 += (other - n) ** 2;
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
