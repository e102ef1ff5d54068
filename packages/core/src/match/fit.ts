import { multiply, multiplyInverse, slerp } from '../math/quaternion.js';
import { globalMatrices, globalOrientations, type Pose, restPose } from '../rig/pose.js';
import { positionsAtRest } from '../rig/rest.js';
import { jointIndex, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { standOf } from '../rig/stand.js';
import { rootOf, topologyOf } from '../rig/topology.js';
import type { Making, Mapping } from '../take/making.js';
import { type Motion, motionOn } from '../take/reshape.js';
import { readSample, writeRow } from '../take/sample.js';
import { emptyTrack, type Samples, unmatchedJoints } from '../take/take.js';
import { pathsOf, spotOf } from '../take/watch.js';
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
  const ends = [...shared].map(([j, { from, to, part }]): Shared & { j: number } => ({
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
  const plan: Fit = {
    source: motion,
    target,
    follows,
    constants,
    shared: [...target.joints.keys()].map((j) => ends.find((end) => end.j === j)),
    rest: restPose(target),
    from: restPose(source),
    turns: new Float64Array(4 * source.joints.length),
    global: new Float64Array(4 * n),
    to: restPose(target),
    hips,
    travel,
    rootTravels: travels !== 'hips',
    still: globalMatrices(target, restPose(target), new Float64Array(16 * n)),
    above: new Float64Array(16 * n),
  };
  for (let s = 0; s < motion.count; s++) {
    turnSample(plan, s);
    setTravel(plan, s);
    writeRow(fitted.translations, s, plan.to.translations);
    writeRow(fitted.rotations, s, plan.to.rotations);
  }
  const { count, interval, faceCurves } = motion;
  return motionOn(target, { count, interval, ...fitted }, faceCurves);
}

/** What a sample is fitted by, and room for it. */
interface Fit {
  readonly source: Motion;
  readonly target: Rig;
  readonly follows: Int32Array;
  /** See {@link turnsFromSource}. */
  readonly constants: Float64Array;
  /** For each joint between which two of the capture it lies, where it shares a chain. */
  readonly shared: readonly (Shared | undefined)[];
  readonly rest: Pose;
  readonly from: Pose;
  /** Global orientations of the capture and of the character. */
  readonly turns: Float64Array;
  readonly global: Float64Array;
  readonly to: Pose;
  /** The joint that carries the travel, where it is at every sample in the scene, and whether a root above it goes along the floor. */
  readonly hips: number;
  readonly travel: Float64Array;
  readonly rootTravels: boolean;
  /** Global transforms of the rest, and room for those of what is above the hips. */
  readonly still: Float64Array;
  readonly above: Float64Array;
}

interface Shared {
  readonly part: number;
  readonly from: number;
  readonly to: number;
  readonly before: Float64Array;
  readonly after: Float64Array;
}

const lower = new Float64Array(4);
const upper = new Float64Array(4);

/** Turns the joints of the pose `to` as the capture does at a sample. */
function turnSample(
  { source, target, follows, constants, shared, rest, from, turns, global, to }: Fit,
  s: number,
) {
  readSample(source, s, from);
  globalOrientations(source.rig, from, turns);
  const { parents } = topologyOf(target);
  for (let j = 0; j < parents.length; j++) {
    const parent = parents[j];
    const o = 4 * j;
    if (follows[j] < 0) {
      if (parent < 0) for (let c = 0; c < 4; c++) global[o + c] = rest.rotations[o + c];
      else multiply(global, o, global, 4 * parent, rest.rotations, o);
      continue;
    }
    const between = shared[j];
    if (between) {
      multiply(lower, 0, turns, 4 * between.from, between.before, 0);
      multiply(upper, 0, turns, 4 * between.to, between.after, 0);
      slerp(global, o, lower, 0, upper, 0, between.part);
    } else multiply(global, o, turns, 4 * follows[j], constants, o);
    if (parent < 0) for (let c = 0; c < 4; c++) to.rotations[o + c] = global[o + c];
    else multiplyInverse(to.rotations, o, global, 4 * parent, global, o);
  }
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
  const [out, ...feet] = pathsOf(motion, [followed, ...theirs.feet].map(spotOf));
  for (let i = 0; i < out.length; i++) out[i] *= ratio;
  if (own.onFloor === undefined) return out;
  const ground = theirs.onFloor ?? usuallyLowest(feet);
  const lift = own.onFloor - ratio * ground;
  for (let s = 0; s < motion.count; s++) out[3 * s + 1] += lift;
  return out;
}

/** The height to which the lowest of some paths goes down, but for one sample in twenty. */
function usuallyLowest(paths: readonly Float64Array[]): number {
  const lowest = new Float64Array(paths[0].length / 3);
  for (let s = 0; s < lowest.length; s++) {
    lowest[s] = Number.POSITIVE_INFINITY;
    for (let k = 0; k < paths.length; k++) lowest[s] = Math.min(lowest[s], paths[k][3 * s + 1]);
  }
  return lowest.sort()[Math.floor(0.05 * lowest.length)];
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

/** Moves the hips to where they are to be. A root above them goes along the floor below them, or stays. */
function setTravel({ target, rest, to, hips, travel, rootTravels, still, above }: Fit, s: number): void {
  const root = rootOf(target);
  const { translations } = to;
  if (hips === root) {
    for (let axis = 0; axis < 3; axis++) translations[3 * root + axis] = travel[3 * s + axis];
    return;
  }
  for (let axis = 0; axis < 3; axis++) {
    const goes = rootTravels && axis !== 1;
    translations[3 * root + axis] =
      rest.translations[3 * root + axis] + (goes ? travel[3 * s + axis] - still[16 * hips + 12 + axis] : 0);
  }
  const m = globalMatrices(target, to, above, 0, hips);
  const o = 16 * target.joints[hips].parent;
  const x = travel[3 * s] - m[o + 12];
  const y = travel[3 * s + 1] - m[o + 13];
  const z = travel[3 * s + 2] - m[o + 14];
  // The axes of the joints above are at right angles, each as long as it scales.
  for (let axis = 0; axis < 3; axis++) {
    const a = o + 4 * axis;
    translations[3 * hips + axis] =
      (m[a] * x + m[a + 1] * y + m[a + 2] * z) / (m[a] * m[a] + m[a + 1] * m[a + 1] + m[a + 2] * m[a + 2]);
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
