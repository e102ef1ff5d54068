import { fitMotion, followsOf, hipsOf } from '../match/fit.js';
import { RADIANS } from '../math/euler.js';
import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { globalMatrices, globalOrientations, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import type { Making, Mapping } from '../take/making.js';
import { type Motion, withRotations } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { plantFeet } from './plant.js';
import { shiftToFloor } from './shift.js';
import { type Foot, feetThatStand, flatSamples } from './stance.js';

/** How high a sole may lie at rest, and how high one is taken to lie that does not rest on the floor, as parts of the height. */
const SOLE = 0.15;
const USUAL_SOLE = 0.015;
/** Cosine of the largest angle by which a sole is put level: beyond it, it is no sole. */
const MOST_LEVELLED = Math.cos(35 * RADIANS);

/**
 * Puts a motion on another skeleton ({@link fitMotion}) and that on the floor: while a foot of the capture stands, the
 * sole of the character's foot is level, its tip lies as high as where the character stands, and it goes along the floor as the capture's
 * does, scaled. The hips are moved for it, where several feet stand to where all of them come nearest; feet tilt and legs
 * lean by the little that is left, and all other limbs keep the directions that they have in the capture. A character that
 * does not stand on the floor at rest, such as one that rests with its hips at the origin, is put on it by the lowest joint
 * of its feet. One whose feet follow none that ever stands is fitted as it is.
 */
export function fitOnFloor(
  motion: Motion,
  target: Rig,
  mapping: Mapping,
  travels?: Making['travels'],
): Motion {
  const fitted = fitMotion(motion, target, mapping, { travels });
  const feet = feetThatStand(motion, target, mapping);
  if (feet.length === 0) return fitted;
  const heights = standingHeights(target, feet);
  const turns = levelSoles(fitted, feet);
  const level = withTurned(fitted, turns);
  const shift = shiftToFloor(motion, level, mapping, feet, heights);
  // Where the root itself travels nothing but its place is another: it need not be fitted once more.
  const rootTravels = hipsOf(target, followsOf(motion.rig, target, mapping)) === rootOf(target);
  const moved = rootTravels
    ? movedRoot(level, shift.hips)
    : fitMotion(motion, target, mapping, { turns, shift: shift.hips, travels });
  return plantFeet(moved, feet, shift, heights);
}

/** A motion of which some joints are turned in their own axes, by joint; what hangs on them and is recorded keeps its orientation. */
function withTurned(motion: Motion, turns: ReadonlyMap<number, number[]>): Motion {
  const { rig, rotations } = motion;
  const values = rotations.values.slice();
  const stride = 4 * rotations.joints.length;
  const recorded = new Set(rotations.joints);
  for (const [entry, j] of rotations.joints.entries()) {
    const { parent } = rig.joints[j];
    const own = turns.get(j);
    const above = recorded.has(parent) ? turns.get(parent) : undefined;
    if (above) turnColumn(values, 4 * entry, stride, above, own ?? NO_TURN);
    else if (own) turnColumn(values, 4 * entry, stride, NO_TURN, own);
  }
  return withRotations(motion, values);
}

const NO_TURN: readonly number[] = [0, 0, 0, 1];

/** Turns quaternions, one every so many numbers, in their own axes, and back by what is above them. */
function turnColumn(
  values: Float64Array,
  first: number,
  stride: number,
  above: readonly number[],
  own: readonly number[],
): void {
  for (let o = first; o < values.length; o += stride) {
    multiplyInverse(values, o, above as number[], 0, values, o);
    multiply(values, o, values, o, own as number[], 0);
  }
}

/** A motion of which the root alone moves, with three numbers a sample added to where it is. */
function movedRoot(motion: Motion, by: Float64Array): Motion {
  const values = motion.translations.values.slice();
  for (let i = 0; i < values.length; i++) values[i] += by[i];
  return { ...motion, translations: { ...motion.translations, values } };
}

/** How high each joint lies where the character stands on the floor, in the pose of its rest. */
function standingHeights(target: Rig, feet: readonly Foot[]): readonly number[] {
  const heights = heightsAtRest(target);
  const lowest = Math.min(...feet.flatMap(({ soles }) => soles.map((j) => heights[j])));
  const tall = Math.max(...heights) - lowest;
  if (lowest >= 0 && lowest <= SOLE * tall) return heights;
  return heights.map((height) => height - lowest + USUAL_SOLE * tall);
}

/**
 * The turns that put soles level on average while they stand, in the axes of each joint. Rest poses do not say how a
 * foot stands: a capture's often hangs there.
 */
function levelSoles(motion: Motion, feet: readonly Foot[]): Map<number, number[]> {
  const { rig } = motion;
  const atRest = globalOrientations(rig, restPose(rig), new Float64Array(4 * rig.joints.length));
  const sums = new Map<number, number[]>();
  for (const { soles } of feet) for (const j of soles) sums.set(j, [0, 0, 0]);
  const flat = feet.map((foot) => flatSamples(foot, motion));
  const pose = restPose(rig);
  const orientations = new Float64Array(4 * rig.joints.length);
  for (let s = 0; s < motion.count; s++) {
    if (flat.every((whole) => whole[s] === 0)) continue;
    readSample(motion, s, pose);
    globalOrientations(rig, pose, orientations);
    for (const [f, { soles }] of feet.entries())
      if (flat[f][s] === 1) for (const j of soles) addUp(sums.get(j)!, orientations, j);
  }
  const turns = new Map<number, number[]>();
  for (const [j, sum] of sums) {
    const own = upIn(atRest, j);
    const length = Math.hypot(...sum) || 1;
    const dot = own.reduce((product, value, axis) => product + (value * sum[axis]) / length, 0);
    if (dot > MOST_LEVELLED) turns.set(j, [...turnBetween(own, sum)]);
  }
  return turns;
}

function addUp(sum: number[], orientations: Float64Array, j: number): void {
  const up = upIn(orientations, j);
  for (let axis = 0; axis < 3; axis++) sum[axis] += up[axis];
}

/** The vertical in the axes of a joint. */
function upIn(orientations: Float64Array, j: number): number[] {
  const up = [0, 1, 0];
  const back = [0, 0, 0, 1];
  multiplyInverse(back, 0, orientations, 4 * j, back, 0);
  rotate(up, 0, back, 0, up, 0);
  return up;
}

const heightsAtRest = (rig: Rig): number[] => {
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  return rig.joints.map((_, j) => matrices[16 * j + 13]);
};
