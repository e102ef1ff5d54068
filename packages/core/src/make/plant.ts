import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { turnBetween } from '../math/turn.js';
import { orientJoint, type Placed, placeAll, placeBelow, placePose } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import { type CompiledLimb, reachIn } from '../rig/reach.js';
import type { Rig } from '../rig/rig.js';
import type { Motion } from '../take/reshape.js';
import { readSample } from '../take/sample.js';
import { watchJoints } from '../take/watch.js';
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
  const { rise, weights } = shift;
  const entryOf = new Map([...rotations.joints].map((joint, entry) => [joint, entry]));
  const values = rotations.values.slice();
  const placed = placePose(rig, restPose(rig));
  const limbs = feet.map(({ ankle }) => limbTo(rig, ankle));
  const goals = anklesWanted(motion, feet, shift, heights);
  const forward = feet.map(({ ankle, tip }) => forwardOf(rig, ankle, tip));
  for (let s = 0; s < motion.count; s++) {
    readSample(motion, s, placed.pose);
    placeAll(placed);
    for (const [f, { ankle, tip }] of feet.entries()) {
      if (!entryOf.has(ankle)) continue;
      const weight = weights[f][s];
      const orientations = [ankle, tip].map((j) => placed.orientations.slice(4 * j, 4 * j + 4));
      const limb = limbs[f];
      const at = [12, 13, 14].map((o) => placed.matrices[16 * ankle + o]);
      if (limb)
        reachSoftly(
          placed,
          limb,
          at.map((value, axis) => goals[f][3 * s + axis] - value),
        );
      if (weight > 0) {
        const turn = Float64Array.from(
          tiltOf(placed.matrices, feet[f], weight, heights[tip] + rise[f][s], 0).tilt,
        );
        multiply(turn, 0, turn, 0, orientations[0], 0);
        orientJoint(placed, ankle, turn);
        placeBelow(placed, ankle);
        if (tip !== ankle && rig.joints[tip].parent === ankle) {
          layDown(orientations[1], forward[f], weight);
          orientJoint(placed, tip, orientations[1]);
        }
      }
      const row = 4 * s * rotations.joints.length;
      for (const joint of new Set([...(limb?.chain ?? []), ankle, tip])) {
        const entry = entryOf.get(joint);
        if (entry === undefined) continue;
        for (let c = 0; c < 4; c++) values[row + 4 * entry + c] = placed.pose.rotations[4 * joint + c];
      }
    }
  }
  return { ...motion, rotations: { ...rotations, values } };
}

/**
 * Where each ankle has to be, 3 numbers a sample: where its foot stands, and smoothly off the way of the capture's foot.
 */
function anklesWanted(
  motion: Motion,
  feet: readonly Foot[],
  { left, rise, weights, captured }: Shift,
  heights: readonly number[],
): Float64Array[] {
  const watch = watchJoints(
    motion,
    feet.flatMap(({ ankle, tip }) => [ankle, tip]),
  );
  const off = feet.map(() => new Float64Array(3 * motion.count));
  for (let s = 0; s < motion.count; s++) {
    const matrices = watch(s);
    for (const [f, foot] of feet.entries()) {
      const o = 3 * s;
      const { sole, tilted } = tiltOf(
        matrices,
        foot,
        weights[f][s],
        heights[foot.tip] + rise[f][s],
        left[f][o + 1],
      );
      // The leg makes up for what the tip goes along the floor while the foot tilts.
      const tipped = [tilted[0] - sole[0], 0, tilted[2] - sole[2]];
      for (let axis = 0; axis < 3; axis++)
        off[f][o + axis] =
          matrices[16 * foot.ankle + 12 + axis] + left[f][o + axis] - tipped[axis] - captured[f][o + axis];
    }
  }
  return off.map((values, f) => {
    const [air, floor] = [SMOOTH, FIRM].map((width) => smoothed(values, width / motion.interval));
    return air.map((value, i) => {
      const weight = weights[f][Math.floor(i / 3)];
      return (1 - weight) * value + weight * floor[i] + captured[f][i];
    });
  });
}

/** How a foot tilts so that its tip comes to a height, once it is `up` higher as a whole, as far as it stands. */
function tiltOf(
  matrices: Float64Array,
  { ankle, tip }: Foot,
  weight: number,
  height: number,
  up: number,
): { sole: number[]; tilted: number[]; tilt: readonly number[] } {
  const sole = between(matrices, ankle, tip);
  const most = MOST_TILTED * Math.hypot(...sole);
  const off = weight * (height - matrices[16 * tip + 13] - up);
  const tilted = raised(sole, Math.max(-most, Math.min(most, off)));
  return { sole, tilted, tilt: turnBetween(sole, tilted) };
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
function reachSoftly(placed: Placed, limb: CompiledLimb, way: readonly number[]): void {
  const { chain } = limb;
  const end = chain[chain.length - 1];
  const before = placed.pose.rotations.slice();
  const bones = chain.slice(1).map((j, k) => between(placed.matrices, chain[k], j));
  const from = [12, 13, 14].map((o) => placed.matrices[16 * end + o]);
  let part = 1;
  for (let round = 0; round < TRIES; round++) {
    reachIn(
      placed,
      limb,
      from.map((value, axis) => value + (axis === 1 ? part : 1) * way[axis]),
    );
    const leans = bones.map((bone, k) =>
      angleBetween(bone, between(placed.matrices, chain[k], chain[k + 1])),
    );
    const most = Math.max(...leans);
    if (most <= MOST_LEANED) return;
    placed.pose.rotations.set(before);
    placeBelow(placed, chain[0]);
    part *= MOST_LEANED / most;
  }
  reachIn(
    placed,
    limb,
    from.map((value, axis) => value + (axis === 1 ? part : 1) * way[axis]),
  );
}

function angleBetween(a: readonly number[], b: readonly number[]): number {
  const dot = a.reduce((sum, value, axis) => sum + value * b[axis], 0);
  return Math.acos(Math.min(1, Math.max(-1, dot / (Math.hypot(...a) * Math.hypot(...b)))));
}

/** A vector of the same length in the same heading whose end is higher by `by`. */
function raised([x, y, z]: readonly number[], by: number): number[] {
  const length = Math.hypot(x, y, z);
  const across = Math.hypot(x, z);
  const height = Math.max(-length, Math.min(length, y + by));
  const scale = across > 0 ? Math.sqrt(length * length - height * height) / across : 0;
  return [x * scale, height, z * scale];
}
