import { multiply, multiplyInverse } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { globalMatrices, globalOrientations, restPose } from '../rig/pose.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import type { Shift } from './shift.js';
import type { Foot } from './stance.js';

/** Most that the tip of a foot is moved by tilting it, as a part of the length of the foot. */
const MOST_TILTED = 0.2;

/**
 * Plants the feet of a motion whose hips stand where they should: leans each leg, with thigh and shin as one, so that
 * the foot goes along the floor by what the hips left of the shift, and tilts the foot so that its tip is as high as it
 * is to be. Toes keep their orientation. `heights` are those of the joints at rest.
 */
export function plantFeet(
  motion: Motion,
  feet: readonly Foot[],
  { left, rise, weights }: Shift,
  heights: readonly number[],
): Motion {
  const { rig, rotations } = motion;
  const entryOf = new Map([...rotations.joints].map((joint, entry) => [joint, entry]));
  const values = rotations.values.slice();
  const pose = restPose(rig);
  const matrices = new Float64Array(16 * rig.joints.length);
  const global = new Float64Array(4 * rig.joints.length);
  const between = (a: number, b: number) =>
    [0, 1, 2].map((axis) => matrices[16 * b + 12 + axis] - matrices[16 * a + 12 + axis]);
  for (let s = 0; s < motion.count; s++) {
    if (feet.every((_, f) => weights[f][s] === 0)) continue;
    readSample(motion, s, pose);
    globalMatrices(rig, pose, matrices);
    globalOrientations(rig, pose, global);
    const row = 4 * s * rotations.joints.length;
    /** Writes the rotation of a joint whose parent has the orientation `parent` so that it has `orientation`. */
    const write = (joint: number, parent: readonly number[], orientation: readonly number[]) => {
      const entry = entryOf.get(joint);
      if (entry !== undefined) multiplyInverse(values, row + 4 * entry, [...parent], 0, [...orientation], 0);
    };
    const oriented = (joint: number): number[] =>
      joint < 0 ? [0, 0, 0, 1] : [...global.subarray(4 * joint, 4 * joint + 4)];
    const turned = (turn: readonly number[], joint: number): number[] => {
      const out = oriented(joint);
      multiply(out, 0, [...turn], 0, out, 0);
      return out;
    };
    for (const [f, { thigh, ankle, tip }] of feet.entries()) {
      if (weights[f][s] === 0 || !entryOf.has(ankle)) continue;
      const sole = between(ankle, tip);
      const most = MOST_TILTED * Math.hypot(...sole);
      const off = weights[f][s] * (heights[tip] + rise[f][s] - matrices[16 * tip + 13]);
      const tilted = raised(sole, Math.max(-most, Math.min(most, off)));
      const tilt = turnBetween(sole, tilted);
      // The leg makes up for what the tip goes along the floor while the foot tilts.
      const leg = thigh < 0 ? [0, 0, 0] : between(thigh, ankle);
      const along = (axis: number) => leg[axis] + left[f][3 * s + axis] - (tilted[axis] - sole[axis]);
      const lean = turnBetween(leg, [along(0), leg[1], along(2)]);
      if (thigh >= 0 && entryOf.has(thigh))
        write(thigh, oriented(rig.joints[thigh].parent), turned(lean, thigh));
      const foot = turned(tilt, ankle);
      write(
        ankle,
        turned(thigh >= 0 && entryOf.has(thigh) ? lean : [0, 0, 0, 1], rig.joints[ankle].parent),
        foot,
      );
      if (tip !== ankle && rig.joints[tip].parent === ankle) write(tip, foot, oriented(tip));
    }
  }
  return { ...motion, rotations: { ...rotations, values } };
}

/** A vector of the same length in the same heading whose end is higher by `by`. */
function raised([x, y, z]: readonly number[], by: number): number[] {
  const length = Math.hypot(x, y, z);
  const across = Math.hypot(x, z);
  const height = Math.max(-length, Math.min(length, y + by));
  const scale = across > 0 ? Math.sqrt(length * length - height * height) / across : 0;
  return [x * scale, height, z * scale];
}
