import { multiply, multiplyInverse, slerp } from '../math/quaternion.js';
import { globalMatrices, globalOrientations, type Pose, restPose } from '../rig/pose.js';
import { positionsAtRest } from '../rig/rest.js';
import { jointIndex, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { standOf } from '../rig/stand.js';
import { rootOf } from '../rig/topology.js';
import type { Making, Mapping } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { emptyTrack, type Samples, unmatchedJoints } from '../take/take.js';
import { watchJoints } from '../take/watch.js';
import { alignRest } from './align.js';
import { alongChain } from './match.js';
import { sharedChains } from './share-chain.js';

/** For each joint of a character the joint of a capture that it follows, or -1. Names that one lacks are left out. */
export function followsOf(source: Rig, target: Rig, mapping: Mapping): Int32Array {
  return Int32Array.from(target.joints, ({ name }) => {
    const followed = Object.hasOwn(mapping, name) ? mapping[name] : undefined;
    return followed === undefined ? -1 : jointIndex(source, followed);
  });
}

/** What is known better than by two rest poses. */
export interface FitCorrections {
  /** Turns of joints in their own axes, on top of their aligned rest pose, by joint. */
  readonly turns?: ReadonlyMap<number, readonly number[]>;
  /** Moves the hips in the scene, 3 numbers a sample. */
  readonly shift?: Float64Array;
  /** Whether a root bone above the hips stays as it rests; otherwise it goes along the floor below them. */
  readonly travels?: Making['travels'];
}

/**
 * Puts a motion on another skeleton. Every joint that follows one turns in model space as that one does, counted from
 * the rest pose of the capture and from the aligned rest pose of the character:
 * `G = G_source · G_source,rest⁻¹ · A · G_rest`, with `A` from {@link alignRest}. The hips travel as those of the capture,
 * times the ratio of the lengths of their legs ({@link sizeRatio}); where the character stands on the floor at rest and the
 * capture does not, it is lifted so that its feet come down to where they rest. Joints that
 * follow none are not recorded: they rest. Spines, necks and tails of another number of joints share the bend by length
 * ({@link sharedChains}). The result has the rig of the character, and the rate of the capture.
 */
export function fitMotion(
  motion: Motion,
  target: Rig,
  mapping: Mapping,
  { turns: corrections, shift, travels }: FitCorrections = {},
): Motion {
  const source = motion.rig;
  const follows = followsOf(source, target, mapping);
  const n = target.joints.length;
  const shared = sharedChains(source, target, follows, (stem) => alongChain(stem, source, target));
  const constants = turnsFromSource(source, target, follows);
  const ends = [...shared].map(([j, { from, to, part }]) => ({
    j,
    part,
    from,
    to,
    before: turnsFromSource(source, target, follows.with(j, from)).slice(4 * j, 4 * j + 4),
    after: turnsFromSource(source, target, follows.with(j, to)).slice(4 * j, 4 * j + 4),
  }));
  for (const [j, turn] of corrections ?? []) multiply(constants, 4 * j, constants, 4 * j, [...turn], 0);
  const hips = hipsOf(target, follows);
  const travel = travelOf(motion, target, follows, hips);
  if (shift) for (let i = 0; i < travel.length; i++) travel[i] += shift[i];
  const turned = [...target.joints.keys()].filter((j) => follows[j] >= 0);
  const moved = hips > 0 ? [0, hips] : [0];
  const fitted = {
    translations: {
      joints: Int32Array.from(moved),
      size: 3 as const,
      values: new Float64Array(3 * moved.length * motion.count),
    },
    rotations: {
      joints: Int32Array.from(turned),
      size: 4 as const,
      values: new Float64Array(4 * turned.length * motion.count),
    },
    scales: emptyTrack(3),
    faces: emptyTrack(1),
  };
  const from = restPose(source);
  const to = restPose(target);
  const turns = new Float64Array(4 * source.joints.length);
  const global = new Float64Array(4 * n);
  const rest = restPose(target);
  const still = globalMatrices(target, rest, new Float64Array(16 * n));
  const byJoint = new Map(ends.map((end) => [end.j, end]));
  const [lower, upper] = [new Float64Array(4), new Float64Array(4)];
  for (let s = 0; s < motion.count; s++) {
    readSample(motion, s, from);
    globalOrientations(source, from, turns);
    for (let j = 0; j < n; j++) {
      const { parent } = target.joints[j];
      if (follows[j] < 0) {
        if (parent < 0) global.set(rest.rotations.subarray(0, 4), 0);
        else multiply(global, 4 * j, global, 4 * parent, rest.rotations, 4 * j);
        continue;
      }
      const between = byJoint.get(j);
      if (between) {
        multiply(lower, 0, turns, 4 * between.from, between.before, 0);
        multiply(upper, 0, turns, 4 * between.to, between.after, 0);
        slerp(global, 4 * j, lower, 0, upper, 0, between.part);
      } else multiply(global, 4 * j, turns, 4 * follows[j], constants, 4 * j);
      if (parent < 0) to.rotations.set(global.subarray(0, 4), 0);
      else multiplyInverse(to.rotations, 4 * j, global, 4 * parent, global, 4 * j);
    }
    setTravel(target, hips, travel, s, rest, still, to, travels);
    for (const [k, j] of moved.entries())
      fitted.translations.values.set(to.translations.subarray(3 * j, 3 * j + 3), 3 * (s * moved.length + k));
    for (const [k, j] of turned.entries())
      fitted.rotations.values.set(to.rotations.subarray(4 * j, 4 * j + 4), 4 * (s * turned.length + k));
  }
  const { count, interval, faceCurves } = motion;
  return { rig: target, count, interval, ...fitted, ...(faceCurves && { faceCurves }) };
}

/** `G_source,rest⁻¹ · A · G_rest` of every joint that follows one, 4 numbers a joint. */
function turnsFromSource(source: Rig, target: Rig, follows: Int32Array): Float64Array {
  const n = target.joints.length;
  const aligned = alignRest(source, target, follows);
  const own = globalOrientations(target, restPose(target), new Float64Array(4 * n));
  const theirs = globalOrientations(source, restPose(source), new Float64Array(4 * source.joints.length));
  const out = new Float64Array(4 * n);
  for (let j = 0; j < n; j++) {
    if (follows[j] < 0) continue;
    multiply(out, 4 * j, aligned, 4 * j, own, 4 * j);
    multiplyInverse(out, 4 * j, theirs, 4 * follows[j], out, 4 * j);
  }
  return out;
}

/** The joint that carries the travel: the hips where they follow a joint, else the root. */
export function hipsOf(target: Rig, follows: Int32Array): number {
  const hips = rolesOf(target).findIndex((role) => role?.role === 'hips');
  return hips >= 0 && follows[hips] >= 0 ? hips : 0;
}

/** Where the hips of the character are at every sample, in the scene, 3 numbers a sample. */
function travelOf(motion: Motion, target: Rig, follows: Int32Array, hips: number): Float64Array {
  const source = motion.rig;
  const followed = Math.max(0, follows[hips]);
  const [own, theirs] = [standOf(target, hips), standOf(source, followed)];
  const ratio = sizeRatio(source, target, follows);
  const watch = watchJoints(motion, [followed, ...theirs.feet]);
  const out = new Float64Array(3 * motion.count);
  const lowest: number[] = [];
  for (let s = 0; s < motion.count; s++) {
    const matrices = watch(s);
    for (let axis = 0; axis < 3; axis++) out[3 * s + axis] = ratio * matrices[16 * followed + 12 + axis];
    lowest.push(Math.min(...theirs.feet.map((j) => matrices[16 * j + 13])));
  }
  if (own.onFloor === undefined) return out;
  const ground = theirs.onFloor ?? lowest.sort((a, b) => a - b)[Math.floor(0.05 * lowest.length)];
  const lift = own.onFloor - ratio * ground;
  for (let s = 0; s < motion.count; s++) out[3 * s + 1] += lift;
  return out;
}

/**
 * How many times as long the legs of a character are as those of a capture, from the thigh along the bones to the foot,
 * or where those are not known, how many times as high its hips stand.
 */
export function sizeRatio(source: Rig, target: Rig, follows: Int32Array): number {
  const [from, to] = [legLength(source), legLength(target)];
  if (from > 0 && to > 0) return to / from;
  const hips = hipsOf(target, follows);
  const [own, theirs] = [standOf(target, hips), standOf(source, Math.max(0, follows[hips]))];
  return own.height > 0 && theirs.height > 0 ? own.height / theirs.height : 1;
}

/** Length of the legs at rest, the mean of both; 0 where there are none. */
function legLength(rig: Rig): number {
  const roles = rolesOf(rig);
  const positions = positionsAtRest(rig);
  const lengths = ['left', 'right'].flatMap((side) => {
    const [top, foot] = ['UpperLeg', 'Foot'].map((name) =>
      roles.findIndex((role) => role?.role === side + name),
    );
    let length = 0;
    let j = foot;
    for (; j > top; j = rig.joints[j].parent) {
      const p = 3 * rig.joints[j].parent;
      length += Math.hypot(...[0, 1, 2].map((axis) => positions[3 * j + axis] - positions[p + axis]));
    }
    return top >= 0 && j === top ? [length] : [];
  });
  return lengths.length > 0 ? lengths.reduce((sum, length) => sum + length, 0) / lengths.length : 0;
}

/**
 * Moves the hips to where they are to be. A root above them goes along the floor below them, or stays. `still` are the global transforms of the
 * rest.
 */
function setTravel(
  target: Rig,
  hips: number,
  travel: Float64Array,
  s: number,
  rest: Pose,
  still: Float64Array,
  to: Pose,
  travels: Making['travels'],
): void {
  const root = 3 * rootOf(target);
  if (hips === rootOf(target)) {
    to.translations.set(travel.subarray(3 * s, 3 * s + 3), root);
    return;
  }
  to.translations.set(rest.translations.subarray(root, root + 3), root);
  for (const axis of travels === 'hips' ? [] : [0, 2])
    to.translations[root + axis] += travel[3 * s + axis] - still[16 * hips + 12 + axis];
  const matrices = globalMatrices(target, to, new Float64Array(16 * target.joints.length));
  const o = 16 * target.joints[hips].parent;
  const d = [0, 1, 2].map((axis) => travel[3 * s + axis] - matrices[o + 12 + axis]);
  // The axes of the joints above are at right angles, each as long as it scales.
  for (let axis = 0; axis < 3; axis++) {
    const a = matrices.subarray(o + 4 * axis, o + 4 * axis + 3);
    to.translations[3 * hips + axis] =
      (a[0] * d[0] + a[1] * d[1] + a[2] * d[2]) / (a[0] * a[0] + a[1] * a[1] + a[2] * a[2]);
  }
}

/** Joints of a character that a motion does not turn, by name. */
export function restingJoints(rig: Rig, samples: Samples): string[] {
  const turned = new Set(samples.rotations.joints);
  return rig.joints.flatMap(({ name }, j) => (turned.has(j) ? [] : [name]));
}

/** The part of a take's joints that a rig has to have by name for the take to play on it as it is. */
const OWN = 0.75;

/**
 * Whether a take plays on a rig as it is: nearly every joint of it has a joint of that name there, or it records a face alone.
 */
export const playsOn = (
  rig: Rig,
  motion: Pick<Motion, 'rig' | 'faceCurves' | 'rotations' | 'translations'>,
): boolean =>
  (motion.faceCurves !== undefined &&
    motion.rotations.joints.length + motion.translations.joints.length === 0) ||
  unmatchedJoints(rig, motion).length <= (1 - OWN) * motion.rig.joints.length;
