import { random } from '../bench/subject.js';
import { type Pose, type Rig, restPose } from '../src/index.js';
import { multiply, normalize } from '../src/math/index.js';

/** A pose in which every joint is turned by up to some degrees. */
export function drawnPose(rig: Rig, seed: number, degrees: number): Pose {
  const next = random(seed);
  const pose = restPose(rig);
  for (let j = 0; j < rig.joints.length; j++) {
    const axis = [next() - 0.5, next() - 0.5, next() - 0.5];
    const half = ((next() - 0.5) * degrees * Math.PI) / 180;
    const q = [...axis.map((v) => (v / Math.hypot(...axis)) * Math.sin(half)), Math.cos(half)];
    multiply(pose.rotations, 4 * j, pose.rotations, 4 * j, q, 0);
    normalize(pose.rotations, 4 * j);
  }
  return pose;
}
