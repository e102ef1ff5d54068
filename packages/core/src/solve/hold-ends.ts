import { multiplyInverse } from '../math/quaternion.js';
import { globalMatrices, globalOrientations, type Pose } from '../rig/pose.js';
import { type CompiledLimb, reach } from '../rig/reach.js';
import type { Rig } from '../rig/rig.js';

/**
 * Brings the ends of limbs back to where they were, with the orientations that they had, after joints above them have
 * moved from `before` to `pose`. Changes the local rotations of the limbs in `pose`. A limb that is too short by then
 * stretches towards its place.
 */
export function holdEnds(rig: Rig, limbs: readonly CompiledLimb[], before: Pose, pose: Pose): void {
  if (limbs.length === 0) return;
  const n = rig.joints.length;
  const places = globalMatrices(rig, before, new Float64Array(16 * n));
  const kept = globalOrientations(rig, before, new Float64Array(4 * n));
  const now = new Float64Array(4 * n);
  for (const limb of limbs) {
    const end = limb.chain[limb.chain.length - 1];
    globalOrientations(rig, pose, now);
    multiplyInverse(pose.rotations, 4 * end, now, 4 * rig.joints[end].parent, kept, 4 * end);
    reach(rig, limb, pose, [...places.subarray(16 * end + 12, 16 * end + 15)]);
  }
}
