import { type Rig, restPose } from '../src/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { type Motion, readSample } from '../src/take/index.js';

/** Where the joints of a pose are, by name. */
function positionsOf(rig: Rig, pose = restPose(rig)): (name: string) => number[] {
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  return (name) => {
    const j = rig.joints.findIndex((joint) => joint.name === name);
    return [...matrices.subarray(16 * j + 12, 16 * j + 15)];
  };
}

/** Where the joints of a motion are in the scene at a sample, by name. */
export function positionsAt(motion: Motion, s: number): (name: string) => number[] {
  const pose = restPose(motion.rig);
  readSample(motion, s, pose);
  return positionsOf(motion.rig, pose);
}

/** Where the joints of a rig are at rest, by name. */
export const positionsAtRestOf = (rig: Rig): ((name: string) => number[]) => positionsOf(rig);
