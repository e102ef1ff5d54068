import { angleBetween } from '../math/quaternion.js';
import type { Samples } from '../take/take.js';

/** Radians on average by which moments half of the time apart differ at least where that says something. */
const MOVES = 0.01;

/**
 * How alike two motions of one rig are, from 1, the same, to 0 and below, no more than moments of it that are half of the
 * time apart: by the mean angle between their rotations of every joint.
 */
export function likenessOf(a: Samples, b: Samples): number {
  const count = Math.min(a.count, b.count);
  const joints = a.rotations.joints.length;
  const step = Math.max(1, Math.floor(count / 200));
  const apart = (by: number): number => {
    let [sum, looked] = [0, 0];
    for (let s = 0; s < count; s += step) {
      const [o, q] = [4 * joints * s, 4 * joints * ((s + by) % count)];
      for (let j = 0; j < joints; j++)
        sum += angleBetween(a.rotations.values, o + 4 * j, b.rotations.values, q + 4 * j);
      looked += joints;
    }
    return looked > 0 ? sum / looked : 0;
  };
  const usual = apart(count >> 1);
  return usual < MOVES ? 1 : 1 - apart(0) / usual;
}
