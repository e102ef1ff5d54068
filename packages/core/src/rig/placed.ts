import { multiply, multiplyInverse, rotate } from '../math/quaternion.js';
import { moveIn, moveOut, turnIn, turnOut } from './frame.js';
import { globalMatrices, globalOrientations, type Pose } from './pose.js';
import { type Rig, subtreeEnds } from './rig.js';
import type { JointRuns } from './topology.js';
import { frameOf } from './topology.js';

/** A pose with where its joints are in the scene: global transforms and orientations, as in `rig/pose.ts`. */
export interface Placed {
  readonly rig: Rig;
  pose: Pose;
  readonly matrices: Float64Array;
  readonly orientations: Float64Array;
}

/** Finds where the joints of a pose are. */
export function placePose(rig: Rig, pose: Pose): Placed {
  const n = rig.joints.length;
  const placed = {
    rig,
    pose,
    matrices: new Float64Array(16 * n),
    orientations: new Float64Array(4 * n),
  };
  placeAll(placed);
  return placed;
}

/** Finds again where all joints are. */
export function placeAll({ rig, pose, matrices, orientations }: Placed): void {
  globalMatrices(rig, pose, matrices);
  globalOrientations(rig, pose, orientations);
}

/** Finds again where joints in some runs are, what they hang on among them. */
export function placeRuns({ rig, pose, matrices, orientations }: Placed, runs: JointRuns): void {
  for (let k = 0; k < runs.length; k++) {
    globalMatrices(rig, pose, matrices, runs[k][0], runs[k][1]);
    globalOrientations(rig, pose, orientations, runs[k][0], runs[k][1]);
  }
}

/** Finds again where a joint is and what hangs below it, after its local transform or one below it has changed. */
export function placeBelow({ rig, pose, matrices, orientations }: Placed, joint: number): void {
  const end = subtreeEnds(rig)[joint];
  globalMatrices(rig, pose, matrices, joint, end);
  globalOrientations(rig, pose, orientations, joint, end);
}

/** Writes where a joint of a pose is in the scene, and its global orientation, from what is above it alone. */
export function placeOfJoint(
  rig: Rig,
  pose: Pose,
  joint: number,
  place: Float64Array,
  turn: Float64Array,
): void {
  const { translations, rotations, scales } = pose;
  place.fill(0);
  turn.set(NO_TURN);
  for (let j = joint; j >= 0; j = rig.joints[j].parent) {
    for (let axis = 0; axis < 3; axis++) place[axis] *= scales[3 * j + axis];
    rotate(place, 0, rotations, 4 * j, place, 0);
    for (let axis = 0; axis < 3; axis++) place[axis] += translations[3 * j + axis];
    multiply(turn, 0, rotations, 4 * j, turn, 0);
    if (rig.joints[j].parent >= 0) continue;
    const frame = frameOf(rig, j);
    if (!frame) return;
    moveIn(frame, place, 0);
    turnIn(frame, turn, 0);
  }
}

const NO_TURN = [0, 0, 0, 1];

/**
 * Gives a joint an orientation in the scene, `turns[t]` on: its local rotation below the parent as it stands. What hangs
 * below it is not placed again.
 */
export function orientJoint(
  { rig, pose, orientations }: Placed,
  j: number,
  turns: Float64Array,
  t = 0,
): void {
  const { parent } = rig.joints[j];
  if (parent < 0) {
    const frame = frameOf(rig, j);
    for (let c = 0; c < 4; c++) pose.rotations[4 * j + c] = turns[t + c];
    if (frame) turnOut(frame, pose.rotations, 4 * j);
  } else multiplyInverse(pose.rotations, 4 * j, orientations, 4 * parent, turns, t);
}

/** Puts a joint at a place in the scene: its local translation below the parent as it stands. */
export function putJoint(
  { rig, pose, matrices }: Placed,
  j: number,
  place: Float64Array | readonly number[],
): void {
  const { parent } = rig.joints[j];
  const { translations } = pose;
  if (parent < 0) {
    const frame = frameOf(rig, j);
    for (let axis = 0; axis < 3; axis++) translations[3 * j + axis] = place[axis];
    if (frame) moveOut(frame, translations, 3 * j);
    return;
  }
  // The inverse of the parent's linear part by its cofactors.
  const m = matrices;
  const o = 16 * parent;
  const x = place[0] - m[o + 12];
  const y = place[1] - m[o + 13];
  const z = place[2] - m[o + 14];
  const A = m[o + 5] * m[o + 10] - m[o + 9] * m[o + 6];
  const B = m[o + 9] * m[o + 2] - m[o + 1] * m[o + 10];
  const C = m[o + 1] * m[o + 6] - m[o + 5] * m[o + 2];
  const k = 1 / (m[o] * A + m[o + 4] * B + m[o + 8] * C);
  const D = m[o + 8] * m[o + 6] - m[o + 4] * m[o + 10];
  const E = m[o] * m[o + 10] - m[o + 8] * m[o + 2];
  const F = m[o + 4] * m[o + 2] - m[o] * m[o + 6];
  const G = m[o + 4] * m[o + 9] - m[o + 8] * m[o + 5];
  const H = m[o + 8] * m[o + 1] - m[o] * m[o + 9];
  const I = m[o] * m[o + 5] - m[o + 4] * m[o + 1];
  translations[3 * j] = k * (A * x + D * y + G * z);
  translations[3 * j + 1] = k * (B * x + E * y + H * z);
  translations[3 * j + 2] = k * (C * x + F * y + I * z);
}

const own = new Float64Array(4);

/** Joints from the top to the end of a chain, each below the one before, and by what each is turned in the scene, 4 numbers a joint. */
export interface TurnedChain {
  readonly chain: readonly number[];
  readonly turns: Float64Array;
}

/** Turns the joints of a chain in the scene by its `turns`; the end keeps its orientation, which is left in the last of them. */
export function turnChain(placed: Placed, { chain, turns }: TurnedChain): void {
  const { orientations, rig } = placed;
  const last = chain.length - 1;
  const end = chain[last];
  for (let c = 0; c < 4; c++) turns[4 * last + c] = orientations[4 * end + c];
  for (let k = 0; k <= last; k++) {
    const j = chain[k];
    const { parent } = rig.joints[j];
    if (k < last) multiply(own, 0, turns, 4 * k, orientations, 4 * j);
    else for (let c = 0; c < 4; c++) own[c] = turns[4 * last + c];
    if (parent < 0) orientJoint(placed, j, own);
    else if (k === 0) multiplyInverse(placed.pose.rotations, 4 * j, orientations, 4 * parent, own, 0);
    else {
      // Joints that are not listed move with the one above in the chain.
      multiply(above, 0, turns, 4 * k - 4, orientations, 4 * parent);
      multiplyInverse(placed.pose.rotations, 4 * j, above, 0, own, 0);
    }
  }
  placeBelow(placed, chain[0]);
}

const above = new Float64Array(4);
