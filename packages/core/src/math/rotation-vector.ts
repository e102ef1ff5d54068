import type { Numbers } from './numbers.js';

/**
 * Writes the rotation vector (axis times angle in radians, the shorter way round) of the unit quaternion `q` at `i`.
 * Diebel, *Representing Attitude*, 2006, section 7.
 */
export function toRotationVector(out: Numbers, o: number, q: Numbers, i: number): void {
  const sign = q[i + 3] < 0 ? -1 : 1;
  const s = Math.sqrt(q[i] * q[i] + q[i + 1] * q[i + 1] + q[i + 2] * q[i + 2]);
  const k = s > 1e-12 ? (sign * 2 * Math.atan2(s, sign * q[i + 3])) / s : 2 * sign;
  for (let axis = 0; axis < 3; axis++) out[o + axis] = q[i + axis] * k;
}

/** Writes the unit quaternion of the rotation vector `v` at `i`. */
export function fromRotationVector(out: Numbers, o: number, v: Numbers, i: number): void {
  const angle = Math.sqrt(v[i] * v[i] + v[i + 1] * v[i + 1] + v[i + 2] * v[i + 2]);
  const k = angle > 1e-12 ? Math.sin(angle / 2) / angle : 0.5;
  for (let axis = 0; axis < 3; axis++) out[o + axis] = v[i + axis] * k;
  out[o + 3] = Math.cos(angle / 2);
}
