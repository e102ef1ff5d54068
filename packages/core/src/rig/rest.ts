import { globalMatrices, restPose } from './pose.js';
import type { Rig } from './rig.js';

/** Places of the joints at rest, 3 numbers a joint. */
export function positionsAtRest(rig: Rig): Float64Array {
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const out = new Float64Array(3 * n);
  for (let j = 0; j < n; j++) out.set(matrices.subarray(16 * j + 12, 16 * j + 15), 3 * j);
  return out;
}
