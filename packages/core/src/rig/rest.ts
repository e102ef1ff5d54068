import { globalMatrices, restPose } from './pose.js';
import type { Rig } from './rig.js';
import { rolesOf } from './roles.js';

/** Places of the joints at rest, 3 numbers a joint. */
export function positionsAtRest(rig: Rig): Float64Array {
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const out = new Float64Array(3 * n);
  for (let j = 0; j < n; j++) out.set(matrices.subarray(16 * j + 12, 16 * j + 15), 3 * j);
  return out;
}

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
