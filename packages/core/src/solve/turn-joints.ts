import { multiply, multiplyInverse, power } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { globalMatrices, globalOrientations, type Pose } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import { isWithin, type Rig } from '../rig/rig.js';
import type { WantedTransform } from './beneath.js';

/** In whose axes a turn is meant: each joint's own, those of its parent, or those of the scene. */
export type TurnAxes = 'joint' | 'parent' | 'scene';

const orientationsOf = (rig: Rig, pose: Pose): Float64Array =>
  globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length));

const above = (rig: Rig, orientations: Float64Array, j: number): number[] => {
  const { parent } = rig.joints[j];
  return parent < 0 ? [0, 0, 0, 1] : [...orientations.subarray(4 * parent, 4 * parent + 4)];
};

/**
 * Turns joints of a pose together, each about itself, by the same turn (unit quaternion) in the given axes. A joint that
 * hangs below another one turns on top of what that has turned: fingers curl.
 */
export function turnEach(
  rig: Rig,
  pose: Pose,
  joints: readonly number[],
  turn: readonly number[],
  axes: TurnAxes,
): Map<number, WantedTransform> {
  const orientations = orientationsOf(rig, pose);
  const wanted = new Map<number, WantedTransform>();
  for (const j of joints) {
    const rotation = [...pose.rotations.subarray(4 * j, 4 * j + 4)];
    if (axes === 'joint') multiply(rotation, 0, rotation, 0, [...turn], 0);
    else {
      const parent = axes === 'scene' ? above(rig, orientations, j) : [0, 0, 0, 1];
      multiply(rotation, 0, parent, 0, rotation, 0);
      multiply(rotation, 0, [...turn], 0, rotation, 0);
      multiplyInverse(rotation, 0, parent, 0, rotation, 0);
    }
    wanted.set(j, { rotation });
  }
  return wanted;
}

/** Joints that hang below each other, from the top on: of the given ones the line that ends in the last of them. */
export function chainOf(rig: Rig, joints: readonly number[]): number[] {
  const sorted = [...joints].sort((a, b) => a - b);
  const end = joints.reduce(
    (deepest, j) => (isWithin(rig, j, deepest) ? j : deepest),
    joints[joints.length - 1],
  );
  return sorted.filter((j) => isWithin(rig, end, j));
}

/**
 * Shares one turn, in the axes of the scene, among the joints of a chain: its end turns by all of it. `shares`, one a
 * joint, count by their part of the sum; alike where they are left out.
 */
export function turnShared(
  rig: Rig,
  pose: Pose,
  chain: readonly number[],
  turn: readonly number[],
  shares: readonly number[] = chain.map(() => 1),
): Map<number, WantedTransform> {
  const orientations = orientationsOf(rig, pose);
  const sum = shares.reduce((total, share) => total + share, 0);
  const wanted = new Map<number, WantedTransform>();
  let before = [0, 0, 0, 1];
  let counted = 0;
  for (const [k, j] of chain.entries()) {
    counted += shares[k];
    const now = [0, 0, 0, 1];
    power(now, 0, [...turn], 0, sum > 0 ? counted / sum : 1);
    const parent = above(rig, orientations, j);
    // Whatever lies between two joints of the chain has turned with the upper one.
    multiply(parent, 0, before, 0, parent, 0);
    const rotation = [...orientations.subarray(4 * j, 4 * j + 4)];
    multiply(rotation, 0, now, 0, rotation, 0);
    multiplyInverse(rotation, 0, parent, 0, rotation, 0);
    wanted.set(j, { rotation });
    before = now;
  }
  return wanted;
}

/** How much a neighbour takes part that is `k` joints away, of `reach` that do: 1 at the joint itself, less and less. */
function falloff(k: number, reach: number): number {
  const u = 1 - k / (reach + 1);
  return u * u * (3 - 2 * u);
}

/** The joints above one, from the topmost on: `reach` of them at most, without the root. */
function neighboursAbove(rig: Rig, j: number, reach: number): number[] {
  const above: number[] = [];
  let { parent } = rig.joints[j];
  while (above.length < reach && parent >= 0 && rig.joints[parent].parent >= 0) {
    above.unshift(parent);
    parent = rig.joints[parent].parent;
  }
  return above;
}

/**
 * Lets the neighbours of a joint take part in its turn, less the farther they are: those above it, so that the joint
 * itself still comes to the orientation that is wanted, and as many below it, which turn on. `reach` is how many on
 * each side; the root takes no part. `turn` is in the axes of the scene.
 */
export function turnWithNeighbours(
  rig: Rig,
  pose: Pose,
  j: number,
  turn: readonly number[],
  reach: number,
): Map<number, WantedTransform> {
  const chain = [...neighboursAbove(rig, j, reach), j];
  const shares = chain.map((_, k) => falloff(chain.length - 1 - k, reach));
  const sum = shares.reduce((total, share) => total + share, 0);
  const wanted = turnShared(rig, pose, chain, turn, shares);
  const below: { joint: number; distance: number }[] = [];
  for (let k = j + 1; k < rig.joints.length && isWithin(rig, k, j); k++) {
    let distance = 0;
    for (let at = k; at !== j; at = rig.joints[at].parent) distance++;
    if (distance <= reach) below.push({ joint: k, distance });
  }
  for (const { joint, distance } of below) {
    const own = [0, 0, 0, 1];
    power(own, 0, [...turn], 0, falloff(distance, reach) / sum);
    for (const [at, transform] of turnEach(rig, pose, [joint], own, 'scene')) wanted.set(at, transform);
  }
  return wanted;
}

/**
 * Lets the joints above a limb lean towards the goal of its end, less the farther they are, before the limb itself
 * reaches for it. The end keeps its orientation. Changes the local rotations of those joints and of the end in `pose`, and
 * returns the joints above that have leant; `reach` is how many there are at most, without the root.
 */
export function leanTowards(
  rig: Rig,
  pose: Pose,
  { chain }: Pick<CompiledLimb, 'chain'>,
  goal: readonly number[],
  reach: number,
): number[] {
  const end = chain[chain.length - 1];
  const kept = orientationsOf(rig, pose).slice(4 * end, 4 * end + 4);
  const leaning = neighboursAbove(rig, chain[0], reach);
  const parts = leaning.map((_, k) => falloff(leaning.length - k, reach));
  const sum = parts.reduce((total, part) => total + part, 1);
  for (const [k, j] of leaning.entries()) {
    const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
    const placeOf = (at: number) => [...matrices.subarray(16 * at + 12, 16 * at + 15)];
    const from = placeOf(j);
    const way = (to: readonly number[]) => to.map((value, axis) => value - from[axis]);
    const turn = turnBetween(way(placeOf(end)), way(goal));
    power(turn, 0, turn, 0, parts[k] / sum);
    const [{ rotation }] = turnEach(rig, pose, [j], turn, 'scene').values();
    pose.rotations.set(rotation!, 4 * j);
  }
  if (leaning.length > 0)
    multiplyInverse(pose.rotations, 4 * end, above(rig, orientationsOf(rig, pose), end), 0, kept, 0);
  return leaning;
}
