import type { Rig } from './rig.js';
import { rolesOf } from './roles.js';

/** The way that a skeleton looks at rest, level: across from its right to its left, then up from there. */
export function facing(rig: Rig, positions: Float64Array): number[] {
  const roles = rolesOf(rig);
  const at = (role: string) => roles.findIndex((one) => one?.role === role);
  for (const pair of ['UpperLeg', 'UpperArm', 'Shoulder', 'Foot']) {
    const [left, right] = [at(`left${pair}`), at(`right${pair}`)];
    if (left < 0 || right < 0) continue;
    const [x, z] = [0, 2].map((axis) => positions[3 * left + axis] - positions[3 * right + axis]);
    if (Math.hypot(x, z) > 1e-6) return [-z, 0, x];
  }
  return [0, 0, 1];
}
