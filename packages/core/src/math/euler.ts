import type { Numbers } from './quaternion.js';

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

/** The axes of an order from left to right, 0 for x. */
export function eulerAxes(order: EulerOrder): readonly [number, number, number] {
  const [a, b, c] = AXES[order];
  return [a, b, c];
}

/** Writes the unit quaternion of the angles `(rx, ry, rz)` in radians (Diebel, Representing Attitude, 2006). */
export function eulerToQuaternion(
  out: Numbers,
  o: number,
  order: EulerOrder,
  rx: number,
  ry: number,
  rz: number,
): void {
  const axes = AXES[order];
  const e = axes[3];
  const alpha = (axes[0] === 0 ? rx : axes[0] === 1 ? ry : rz) / 2;
  const beta = (axes[1] === 0 ? rx : axes[1] === 1 ? ry : rz) / 2;
  const gamma = (axes[2] === 0 ? rx : axes[2] === 1 ? ry : rz) / 2;
  const sa = Math.sin(alpha);
  const ca = Math.cos(alpha);
  const sb = Math.sin(beta);
  const cb = Math.cos(beta);
  const sc = Math.sin(gamma);
  const cc = Math.cos(gamma);
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
  const middle = Math.hypot(aa, ab);
  out[o + b] = Math.atan2(e * ac, middle);
  if (middle > 1e-9) {
    out[o + a] = Math.atan2(-e * bc, cc);
    out[o + c] = Math.atan2(-e * ab, aa);
  } else {
    const cb = 2 * (qb * qc + e * w * qa);
    const bb = 1 - 2 * (qa * qa + qc * qc);
    out[o + a] = Math.atan2(e * cb, bb);
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
  const first = [0, 0, 0];
  const second = [0, 0, 0];
  let d1 = 0;
  let d2 = 0;
  for (const axis of [a, b, c]) {
    const angle = out[o + axis];
    const other = axis === b ? Math.PI - angle : angle + Math.PI;
    const n = near[j + axis];
    first[axis] = nearestTurn(angle, n);
    second[axis] = nearestTurn(other, n);
    d1 += (first[axis] - n) ** 2;
    d2 += (second[axis] - n) ** 2;
  }
  const best = d2 < d1 - 1e-12 ? second : first;
  for (let k = 0; k < 3; k++) out[o + k] = best[k];
}

export const DEGREES = 180 / Math.PI;
export const RADIANS = Math.PI / 180;
