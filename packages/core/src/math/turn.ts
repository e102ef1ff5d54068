import { normalize } from './quaternion.js';

/** The shortest turn that takes one direction to another; none where one of them has no length. */
export function turnBetween(a: readonly number[], b: readonly number[]): number[] {
  const [la, lb] = [Math.hypot(...a), Math.hypot(...b)];
  if (!(la > 1e-9 && lb > 1e-9)) return [0, 0, 0, 1];
  const [u, v] = [a.map((x) => x / la), b.map((x) => x / lb)];
  const dot = u[0] * v[0] + u[1] * v[1] + u[2] * v[2];
  if (dot > 1 - 1e-15) return [0, 0, 0, 1];
  // Half a turn has no shortest way: it goes about the vertical, or about x where that is the direction itself.
  const q =
    dot < -1 + 1e-12
      ? Math.abs(u[1]) < 0.9
        ? [0, 1, 0, 0]
        : [1, 0, 0, 0]
      : [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0], 1 + dot];
  normalize(q, 0);
  return q;
}
