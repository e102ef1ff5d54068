import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { orientJoint, type Placed, placeBelow, placePose, placeRuns } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import type { Rig } from '../rig/rig.js';
import { markUp, runsOf } from '../rig/topology.js';
import { type Motion, withRotations } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { pathsOf, spotOf } from '../take/watch.js';
import { limbTo } from './limb-to.js';
import { type Shift, SMOOTH } from './shift.js';
import { smoothed } from './smooth.js';
import type { Foot } from './stance.js';

/** Most that the tip of a foot is moved by tilting it, as a part of the length of the foot. */
const MOST_TILTED = 0.2;
/** Most that a thigh or a shin leans to put a foot where it stands, in radians. */
const MOST_LEANED = (5.5 * Math.PI) / 180;
/** Seconds over which what is corrected is evened out while a foot stands, where it has to be in its place. */
const FIRM = 0.025;
/** How near to the most a lean is brought, in how many tries. */
const TRIES = 3;

/** A foot that is planted: the leg that reaches, and sample by sample what for. */
interface Planted {
  readonly foot: Foot;
  readonly limb: CompiledLimb | undefined;
  /** Where the ankle has to be, 3 numbers a sample. */
  readonly goals: Float64Array;
  readonly weights: Float64Array;
  /** How high the tip has to be. */
  readonly heights: Float64Array;
  /** The way along the floor from ankle to tip at rest, in the axes of the tip. */
  readonly forward: Float64Array;
  /** Whether the tip hangs on the ankle itself and lies down with it. */
  readonly liesDown: boolean;
  /** The joints that it turns, and their entries in the motion. */
  readonly turned: readonly (readonly [joint: number, entry: number])[];
}

/**
 * Plants the feet of a motion whose hips stand where they should: each leg reaches so that the foot is where it stands, by
 * what the hips left of the shift and as far as thigh and shin may lean, and tilts the foot so that its tip is as high as it
 * is to be. Toes lie level on the floor or keep their orientation. In the air too feet go by the way of the capture's, from
 * which they are off by a way that changes smoothly. `heights` are those of the joints at rest.
 */
export function plantFeet(
  motion: Motion,
  feet: readonly Foot[],
  shift: Shift,
  heights: readonly number[],
): Motion {
  const { rig, rotations } = motion;
  const entryOf = new Map([...rotations.joints].map((joint, entry) => [joint, entry]));
  const values = rotations.values.slice();
  const placed = placePose(rig, restPose(rig));
  const planted = feet.flatMap((foot, f): Planted[] => {
    const { ankle, tip } = foot;
    if (!entryOf.has(ankle)) return [];
    const limb = limbTo(rig, ankle);
    const tips = shift.rise[f].map((rise) => heights[tip] + rise);
    return [
      {
        foot,
        limb,
        goals: anklesWanted(motion, foot, shift, f, tips),
        weights: shift.weights[f],
        heights: tips,
        forward: forwardOf(rig, ankle, tip),
        liesDown: tip !== ankle && rig.joints[tip].parent === ankle,
        turned: [...new Set([...(limb?.chain ?? []), ankle, tip])].flatMap((joint) => {
          const entry = entryOf.get(joint);
          return entry === undefined ? [] : [[joint, entry] as const];
        }),
      },
    ];
  });
  const runs = runsOf(
    markUp(
      rig,
      planted.flatMap(({ foot, limb }) => [foot.ankle, foot.tip, ...(limb?.chain ?? [])]),
    ),
  );
  for (let s = 0; s < motion.count; s++) {
    readSample(motion, s, placed.pose);
    placeRuns(placed, runs);
    for (const one of planted) {
      plantFoot(placed, one, s);
      keepTurned(placed.pose.rotations, one, values, 4 * s * rotations.joints.length);
    }
  }
  return withRotations(motion, values);
}

const way = new Float64Array(3);
const ownTurn = new Float64Array(4);
const tipTurn = new Float64Array(4);

function plantFoot(
  placed: Placed,
  { foot, limb, goals, weights, heights, forward, liesDown }: Planted,
  s: number,
) {
  const { matrices, orientations } = placed;
  const { ankle, tip } = foot;
  const weight = weights[s];
  for (let c = 0; c < 4; c++) {
    ownTurn[c] = orientations[4 * ankle + c];
    tipTurn[c] = orientations[4 * tip + c];
  }
  if (limb) {
    for (let axis = 0; axis < 3; axis++) way[axis] = goals[3 * s + axis] - matrices[16 * ankle + 12 + axis];
    reachSoftly(placed, limb, way);
  }
  if (!(weight > 0)) return;
  const sole = between(matrices, ankle, tip);
  multiply(
    ownTurn,
    0,
    turnBetween(sole, tilted(sole, matrices[16 * tip + 13], weight, heights[s])),
    0,
    ownTurn,
    0,
  );
  orientJoint(placed, ankle, ownTurn);
  placeBelow(placed, ankle);
  if (!liesDown) return;
  layDown(tipTurn, forward, weight);
  orientJoint(placed, tip, tipTurn);
}

function keepTurned(rotations: Float64Array, { turned }: Planted, values: Float64Array, row: number): void {
  for (let k = 0; k < turned.length; k++) {
    const [joint, entry] = turned[k];
    for (let c = 0; c < 4; c++) values[row + 4 * entry + c] = rotations[4 * joint + c];
  }
}

/**
 * Where an ankle has to be, 3 numbers a sample: where its foot stands, and smoothly off the way of the capture's foot.
 * `heights` are those of its tip.
 */
function anklesWanted(
  motion: Motion,
  { ankle, tip }: Foot,
  shift: Shift,
  f: number,
  heights: Float64Array,
): Float64Array {
  const [weights, captured] = [shift.weights[f], shift.captured[f]];
  const off = waysOff(pathsOf(motion, [ankle, tip].map(spotOf)), shift.left[f], captured, weights, heights);
  const [air, floor] = [SMOOTH, FIRM].map((width) => smoothed(off, width / motion.interval));
  const goals = new Float64Array(off.length);
  for (let i = 0; i < goals.length; i++) {
    const weight = weights[Math.floor(i / 3)];
    goals[i] = (1 - weight) * air[i] + weight * floor[i] + captured[i];
  }
  return goals;
}

/** By how much an ankle has to be off the way of the capture's foot. */
function waysOff(
  [ankles, tips]: readonly Float64Array[],
  left: Float64Array,
  captured: Float64Array,
  weights: Float64Array,
  heights: Float64Array,
): Float64Array {
  const off = new Float64Array(ankles.length);
  for (let s = 0; s < weights.length; s++) {
    const o = 3 * s;
    const sole = [tips[o] - ankles[o], tips[o + 1] - ankles[o + 1], tips[o + 2] - ankles[o + 2]];
    const tip = tilted(sole, tips[o + 1], weights[s], heights[s], left[o + 1]);
    // The leg makes up for what the tip goes along the floor while the foot tilts.
    off[o] = ankles[o] + left[o] - (tip[0] - sole[0]) - captured[o];
    off[o + 1] = ankles[o + 1] + left[o + 1] - captured[o + 1];
    off[o + 2] = ankles[o + 2] + left[o + 2] - (tip[2] - sole[2]) - captured[o + 2];
  }
  return off;
}

/** How a sole lies so that its tip, which is `at` a height, comes to another once it is `up` higher as a whole, as far as it stands. */
function tilted(sole: readonly number[], at: number, weight: number, height: number, up = 0): number[] {
  const most = MOST_TILTED * Math.hypot(sole[0], sole[1], sole[2]);
  const off = weight * (height - at - up);
  return raised(sole, Math.max(-most, Math.min(most, off)));
}

/** The way along the floor from ankle to tip at rest, in the axes of the tip. */
function forwardOf(rig: Rig, ankle: number, tip: number): Float64Array {
  const placed = placePose(rig, restPose(rig));
  const [x, , z] = between(placed.matrices, ankle, tip);
  const forward = Float64Array.of(x, 0, z);
  const back = Float64Array.of(0, 0, 0, 1);
  multiplyInverse(back, 0, placed.orientations, 4 * tip, back, 0);
  rotate(forward, 0, back, 0, forward, 0);
  return forward;
}

/** Turns toes up that point into the floor, as far as they stand. */
function layDown(orientation: Float64Array, forward: Float64Array, weight: number): void {
  const way = new Float64Array(3);
  rotate(way, 0, orientation, 0, forward, 0);
  if (!(way[1] < 0)) return;
  const level = [way[0], (1 - weight) * way[1], way[2]];
  multiply(orientation, 0, Float64Array.from(turnBetween([...way], level)), 0, orientation, 0);
}

/** The way from one joint to another. */
const between = (m: Float64Array, a: number, b: number): number[] => [
  m[16 * b + 12] - m[16 * a + 12],
  m[16 * b + 13] - m[16 * a + 13],
  m[16 * b + 14] - m[16 * a + 14],
];

/** Moves the end of a limb by a way, but up or down by no more than lets no bone lean too far. */
function reachSoftly(placed: Placed, limb: CompiledLimb, by: Float64Array): void {
  const { chain } = limb;
  const { matrices, pose } = placed;
  const end = 16 * chain[chain.length - 1] + 12;
  const before: number[] = [];
  for (const j of chain) for (let c = 0; c < 4; c++) before.push(pose.rotations[4 * j + c]);
  const bones: number[][] = [];
  for (let k = 1; k < chain.length; k++) bones.push(between(matrices, chain[k - 1], chain[k]));
  const from = [matrices[end], matrices[end + 1], matrices[end + 2]];
  let part = 1;
  for (let round = 0; round <= TRIES; round++) {
    reachIn(placed, limb, [from[0] + by[0], from[1] + part * by[1], from[2] + by[2]]);
    if (round === TRIES) return;
    let most = 0;
    for (let k = 0; k < bones.length; k++)
      most = Math.max(most, angleBetween(bones[k], between(matrices, chain[k], chain[k + 1])));
    if (most <= MOST_LEANED) return;
    for (let k = 0; k < chain.length; k++)
      for (let c = 0; c < 4; c++) pose.rotations[4 * chain[k] + c] = before[4 * k + c];
    placeBelow(placed, chain[0]);
    part *= MOST_LEANED / most;
  }
}

function angleBetween(a: readonly number[], b: readonly number[]): number {
  const dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  return Math.acos(
    Math.min(1, Math.max(-1, dot / (Math.hypot(a[0], a[1], a[2]) * Math.hypot(b[0], b[1], b[2])))),
  );
}

/** A vector of the same length in the same heading whose end is higher by `by`. */
function raised(sole: readonly number[], by: number): number[] {
  const x = sole[0];
  const y = sole[1];
  const z = sole[2];
  const length = Math.hypot(x, y, z);
  const across = Math.hypot(x, z);
  const height = Math.max(-length, Math.min(length, y + by));
  const scale = across > 0 ? Math.sqrt(length * length - height * height) / across : 0;
  return [x * scale, height, z * scale];
}
