import { DEGREES } from '../math/euler.js';
import { angleBetween, multiply, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { facing } from '../rig/facing.js';
import { positionsAtRest } from '../rig/rest.js';
import type { Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';

/** The limbs, from the joint that moves the whole of it outward. */
const LIMBS = ['left', 'right'].flatMap((side) => [
  ['UpperArm', 'LowerArm', 'Hand', 'Middle1'].map((name) => side + name),
  ['UpperLeg', 'LowerLeg', 'Foot'].map((name) => side + name),
]);

/**
 * How the rest pose of a character has to be turned to stand as that of a capture: for each joint a turn in model
 * space, 4 numbers a joint, of the joint with all that hangs on it. All of it is turned about the vertical until both
 * look the same way; then the limbs, one bone after the other, each by the shortest way to the direction that the bone
 * has in the capture. Feet keep their soles level, and only turn to where the capture's feet point. Trunk, neck and
 * head are not bent, because their joints lie elsewhere in every skeleton.
 *
 * `follows` has for each joint of the target the joint of the source that it follows, or -1.
 */
export function alignRest(source: Rig, target: Rig, follows: Int32Array): Float64Array {
  const n = target.joints.length;
  const [from, to] = [positionsAtRest(source), positionsAtRest(target)];
  const out = new Float64Array(4 * n);
  const heading = turnBetween(facing(target, to), facing(source, from));
  const bent = bones(target, follows);
  const turn = [0, 0, 0, 1];
  for (let j = 0; j < n; j++) {
    const { parent } = target.joints[j];
    const bone = bent.get(j);
    if (parent < 0 || bone?.level) out.set(heading, 4 * j);
    else out.set(out.subarray(4 * parent, 4 * parent + 4), 4 * j);
    if (!bone || bone.end < 0) continue;
    const own = difference(to, j, bone.end);
    const wanted = difference(from, follows[j], follows[bone.end]);
    rotate(own, 0, out, 4 * j, own, 0);
    if (bone.level) {
      own[1] = 0;
      wanted[1] = 0;
    }
    turn.splice(0, 4, ...turnBetween(own, wanted));
    multiply(out, 4 * j, turn, 0, out, 4 * j);
  }
  return out;
}

/** Places of the joints at rest, turned as {@link alignRest} says, 3 numbers a joint. */
export function alignedPositions(target: Rig, aligned: Float64Array): Float64Array {
  const positions = positionsAtRest(target);
  const out = positions.slice();
  for (const [j, { parent }] of target.joints.entries()) {
    if (parent < 0) continue;
    const bone = difference(positions, parent, j);
    rotate(bone, 0, aligned, 4 * parent, bone, 0);
    for (let axis = 0; axis < 3; axis++) out[3 * j + axis] = out[3 * parent + axis] + bone[axis];
  }
  return out;
}

/** Degrees by which each joint is turned against the trunk to be aligned. */
export const alignmentDegrees = (target: Rig, aligned: Float64Array): number[] =>
  target.joints.map((_, j) => angleBetween(aligned, 4 * j, aligned, 0) * DEGREES);

/** For the joints of limbs the joint to which their bone runs, -1 where that is not matched; a foot stays level. */
function bones(target: Rig, follows: Int32Array): Map<number, { end: number; level: boolean }> {
  const roles = rolesOf(target);
  const jointOf = new Map(roles.flatMap((role, j) => (role ? [[role.role, j] as const] : [])));
  const found = new Map<number, { end: number; level: boolean }>();
  const add = (start: string, end: string, level: boolean) => {
    const [a, b] = [jointOf.get(start), jointOf.get(end)];
    if (a !== undefined && b !== undefined && follows[a] >= 0 && follows[b] >= 0 && follows[a] !== follows[b])
      found.set(a, { end: b, level });
  };
  for (const limb of LIMBS) for (let k = 1; k < limb.length; k++) add(limb[k - 1], limb[k], false);
  for (const side of ['left', 'right']) {
    const foot = jointOf.get(`${side}Foot`);
    // Without toes on both sides it still hangs level, whichever way the shin was turned.
    if (foot !== undefined && follows[foot] >= 0) found.set(foot, { end: -1, level: true });
    add(`${side}Foot`, `${side}Toes`, true);
  }
  return found;
}

const difference = (positions: Float64Array, a: number, b: number): number[] =>
  [0, 1, 2].map((axis) => positions[3 * b + axis] - positions[3 * a + axis]);
