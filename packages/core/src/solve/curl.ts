import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { mirrorOf } from '../rig/mirror.js';
import { type Pose, restPose } from '../rig/pose.js';
import { positionsAtRest } from '../rig/rest.js';
import { isWithin, jointChildren, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import type { WantedTransform } from './beneath.js';

/** A finger's joint with the axis about which it curls, in its own axes. */
interface FingerJoint {
  readonly joint: number;
  readonly axis: readonly number[];
}

const cross = (a: readonly number[], b: readonly number[]): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];

/**
 * The joints of the fingers of a hand, without the thumb, and how they curl: each about the axis across its bone that
 * lies in the plane of the hand, towards the palm. Empty where a rig has no fingers that are known by name.
 */
export function fingersOf(rig: Rig, side: 'left' | 'right'): FingerJoint[] {
  const roles = rolesOf(rig);
  const jointOf = new Map(roles.flatMap((role, j) => (role ? [[role.role, j] as const] : [])));
  const hand = jointOf.get(`${side}Hand`);
  const fingers = ['Index', 'Middle', 'Ring', 'Little'].flatMap(
    (name) => jointOf.get(`${side}${name}1`) ?? [],
  );
  if (hand === undefined || fingers.length < 2) return [];
  const positions = positionsAtRest(rig);
  const way = (a: number, b: number) =>
    [0, 1, 2].map((axis) => positions[3 * b + axis] - positions[3 * a + axis]);
  const along = way(hand, fingers[0]).map((value, axis) => value + way(hand, fingers.at(-1)!)[axis]);
  // From the first finger to the last, and along the fingers: across both is out of the back of the hand or the palm.
  const back = cross(along, way(fingers[0], fingers.at(-1)!)).map((value) =>
    side === 'left' ? value : -value,
  );
  const { rest } = mirrorOf(rig);
  const children = jointChildren(rig);
  return rig.joints.flatMap((_, joint) => {
    if (!fingers.some((first) => isWithin(rig, joint, first))) return [];
    const [next] = children[joint];
    const bone = next === undefined ? along : way(joint, next);
    const axis = cross(back, bone);
    const length = Math.hypot(...axis);
    if (length < 1e-12) return [];
    const own = axis.map((value) => value / length);
    const q = [...rest.subarray(4 * joint, 4 * joint + 4)];
    rotate(own, 0, [-q[0], -q[1], -q[2], q[3]], 0, own, 0);
    return [{ joint, axis: own }];
  });
}

/** How far the fingers of a hand are curled: the mean angle of their joints from rest about their axes, in radians. */
export function curlOf(rig: Rig, pose: Pose, fingers: readonly FingerJoint[]): number {
  const { rotations } = restPose(rig);
  const turn = [0, 0, 0, 1];
  const sum = fingers.reduce((total, { joint, axis }) => {
    multiplyInverse(turn, 0, rotations, 4 * joint, pose.rotations, 4 * joint);
    const about = turn[0] * axis[0] + turn[1] * axis[1] + turn[2] * axis[2];
    const angle = 2 * Math.atan2(about, turn[3]);
    return total + (angle > Math.PI ? angle - 2 * Math.PI : angle < -Math.PI ? angle + 2 * Math.PI : angle);
  }, 0);
  return fingers.length > 0 ? sum / fingers.length : 0;
}

/** Curls fingers on from a pose by an angle (radians) at every joint. */
export function curled(
  pose: Pose,
  fingers: readonly FingerJoint[],
  by: number,
): Map<number, WantedTransform> {
  return new Map(
    fingers.map(({ joint, axis }) => {
      const turn = [...axis.map((value) => value * Math.sin(by / 2)), Math.cos(by / 2)];
      const rotation = [0, 0, 0, 1];
      multiply(rotation, 0, pose.rotations, 4 * joint, turn, 0);
      return [joint, { rotation }];
    }),
  );
}
