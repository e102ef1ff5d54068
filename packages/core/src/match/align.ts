import { DEGREES } from '../math/euler.js';
import { angleBetween, multiply, normalize, rotate } from '../math/quaternion.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { rolesOf } from './roles.js';

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

/** Places of the joints at rest, 3 numbers a joint. */
export function positionsAtRest(rig: Rig): Float64Array {
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const out = new Float64Array(3 * n);
  for (let j = 0; j < n; j++) out.set(matrices.subarray(16 * j + 12, 16 * j + 15), 3 * j);
  return out;
}

const difference = (positions: Float64Array, a: number, b: number): number[] =>
  [0, 1, 2].map((axis) => positions[3 * b + axis] - positions[3 * a + axis]);

/** The way that a skeleton looks at rest, level: across from its right to its left, then up from there. */
function facing(rig: Rig, positions: Float64Array): number[] {
  const roles = rolesOf(rig);
  const at = (role: string) => roles.findIndex((one) => one?.role === role);
  for (const pair of ['UpperLeg', 'UpperArm', 'Shoulder', 'Foot']) {
    const [left, right] = [at(`left${pair}`), at(`right${pair}`)];
    if (left < 0 || right < 0) continue;
    const [x, , z] = difference(positions, right, left);
    if (Math.hypot(x, z) > 1e-6) return [-z, 0, x];
  }
  return [0, 0, 1];
}

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
