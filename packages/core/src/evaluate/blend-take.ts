import { multiply, multiplyInverse, slerpBy } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { frameOf } from '../rig/topology.js';
import { blendScales, SMALLEST_SCALE } from './blend-scale.js';
import type { CompiledLayer } from './compiled.js';
import { FRAME, type Moment, ROUND } from './moment.js';
import { placeRoot } from './placement.js';
import { readTrack } from './sample.js';
import type { TakeStep } from './steps/take-step.js';

// Room for one joint. Evaluation runs to its end without a pause, so one of each is enough.
const content = new Float64Array(4);
const delta = new Float64Array(4);
const moved = new Float64Array(3);
const IDENTITY = Float64Array.of(0, 0, 0, 1);

/** Blends what a take records of the rotation of the `k`-th touched joint into the pose. */
export function blendTakeRotation(
  { touched, alphas, additive }: CompiledLayer,
  from: TakeStep,
  k: number,
  { rotations }: Pose,
): void {
  const j = touched[k];
  const entry = from.rotation[j];
  if (entry < 0) return;
  readTrack(from.take.rotations, entry, from.spot, content);
  if (!additive && alphas[k] === 1) for (let c = 0; c < 4; c++) rotations[4 * j + c] = content[c];
  else if (!additive) slerpBy(rotations, 4 * j, rotations, 4 * j, content, 0, alphas, k);
  else {
    multiplyInverse(delta, 0, from.reference.rotations, 4 * j, content, 0);
    slerpBy(delta, 0, IDENTITY, 0, delta, 0, alphas, k);
    multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
  }
}

/**
 * Copies a sample that is hit exactly, where it alone is seen and records every joint in the rig's order; false where it
 * does not.
 */
export function copyRotations(
  { additive, whole, placement, alphas }: CompiledLayer,
  { aligned, spot, take }: TakeStep,
  { rotations }: Pose,
): boolean {
  if (!aligned || !whole || additive || placement || alphas[0] !== 1 || spot.u[0] !== 0) return false;
  const { values } = take.rotations;
  const from = spot.s * rotations.length;
  for (let i = 0; i < rotations.length; i++) rotations[i] = values[from + i];
  return true;
}

/** Blends what a take records of the translation of the `k`-th touched joint. */
export function blendTakeTranslation(
  { touched, alphas, additive }: CompiledLayer,
  from: TakeStep,
  moment: Moment,
  k: number,
  { translations }: Pose,
): void {
  const j = touched[k];
  const alpha = alphas[k];
  const o = 3 * j;
  readTranslation(from, moment, j);
  if (additive) {
    const { reference } = from;
    translations[o] += alpha * (moved[0] - reference.translations[o]);
    translations[o + 1] += alpha * (moved[1] - reference.translations[o + 1]);
    translations[o + 2] += alpha * (moved[2] - reference.translations[o + 2]);
  } else {
    translations[o] = (1 - alpha) * translations[o] + alpha * moved[0];
    translations[o + 1] = (1 - alpha) * translations[o + 1] + alpha * moved[1];
    translations[o + 2] = (1 - alpha) * translations[o + 2] + alpha * moved[2];
  }
}

/** Blends what a take records of the scale of the `k`-th touched joint. */
export function blendTakeScale(
  { touched, alphas, additive }: CompiledLayer,
  from: TakeStep,
  k: number,
  { scales }: Pose,
): void {
  const j = touched[k];
  readTrack(from.take.scales, from.scale[j], from.spot, content);
  if (additive) {
    for (let axis = 0; axis < 3; axis++)
      content[axis] /= Math.max(SMALLEST_SCALE, from.reference.scales[3 * j + axis]);
  }
  blendScales(scales, 3 * j, content, 0, additive, alphas, k);
}

/**
 * Blends translation and rotation of a root in a layer that is placed: its content is moved and turned as a rigid whole
 * first. Whatever the take does not record of both counts with the value below. The root is the `k`-th touched joint.
 */
export function blendPlacedTake(
  rig: Rig,
  { alphas, placement, touched }: CompiledLayer,
  from: TakeStep,
  moment: Moment,
  k: number,
  { translations, rotations }: Pose,
): void {
  const j = touched[k];
  const o = 3 * j;
  if (from.translation[j] >= 0) readTranslation(from, moment, j);
  else for (let axis = 0; axis < 3; axis++) moved[axis] = translations[o + axis];
  if (from.rotation[j] >= 0) readTrack(from.take.rotations, from.rotation[j], from.spot, content);
  else for (let c = 0; c < 4; c++) content[c] = rotations[4 * j + c];
  placeRoot(placement!, moment, FRAME, frameOf(rig, j), moved, content);
  for (let axis = 0; axis < 3; axis++)
    translations[o + axis] = (1 - alphas[k]) * translations[o + axis] + alphas[k] * moved[axis];
  slerpBy(rotations, 4 * j, rotations, 4 * j, content, 0, alphas, k);
}

/** Reads the translation of joint `j`; a root in a loop that travels gains over every round. */
function readTranslation(from: TakeStep, moment: Moment, j: number): void {
  readTrack(from.take.translations, from.translation[j], from.spot, moved);
  if (moment[ROUND] === 0) return;
  for (let axis = 0; axis < 3; axis++) moved[axis] += moment[ROUND] * from.gain[3 * j + axis];
}
