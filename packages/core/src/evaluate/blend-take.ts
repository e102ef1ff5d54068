import { multiply, multiplyInverse, slerpBy } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import { blendScales } from './blend-scale.js';
import type { CompiledLayer, CompiledStack } from './compile.js';
import type { TakeContent } from './content.js';
import { FRAME, type Moment, TURNS } from './moment.js';
import { placeRoot } from './placement.js';
import { readTrack, type SamplePlace } from './sample.js';

// Room for one joint. Evaluation runs to its end without a pause, so one of each is enough.
const content = new Float64Array(4);
const reference = new Float64Array(4);
const delta = new Float64Array(4);
const moved = new Float64Array(3);
const origin: SamplePlace = { s: 0, u: new Float64Array(1), step: new Float64Array(1) };
const IDENTITY = Float64Array.of(0, 0, 0, 1);

/** Blends what a take records of the rotation of the `k`-th touched joint into the pose. */
export function blendTakeRotation(
  stack: CompiledStack,
  { touched, alphas, additive }: CompiledLayer,
  from: TakeContent,
  k: number,
  { rotations }: Pose,
): void {
  const j = touched[k];
  const entry = from.rotation[j];
  if (entry < 0) return;
  readTrack(from.take.rotations, entry, from.place, content);
  if (!additive) slerpBy(rotations, 4 * j, rotations, 4 * j, content, 0, alphas, k);
  else {
    readReference(stack, from, 'rotations', entry, j);
    multiplyInverse(delta, 0, reference, 0, content, 0);
    slerpBy(delta, 0, IDENTITY, 0, delta, 0, alphas, k);
    multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
  }
}

/** Blends what a take records of the translation of the `k`-th touched joint. */
export function blendTakeTranslation(
  stack: CompiledStack,
  { touched, alphas, additive }: CompiledLayer,
  from: TakeContent,
  moment: Moment,
  k: number,
  { translations }: Pose,
): void {
  const j = touched[k];
  const alpha = alphas[k];
  readTranslation(from, moment, j);
  if (additive) readReference(stack, from, 'translations', from.translation[j], j);
  for (let axis = 0; axis < 3; axis++) {
    const o = 3 * j + axis;
    translations[o] = additive
      ? translations[o] + alpha * (moved[axis] - reference[axis])
      : (1 - alpha) * translations[o] + alpha * moved[axis];
  }
}

/** Blends what a take records of the scale of the `k`-th touched joint. */
export function blendTakeScale(
  stack: CompiledStack,
  { touched, alphas, additive }: CompiledLayer,
  from: TakeContent,
  k: number,
  { scales }: Pose,
): void {
  const j = touched[k];
  readTrack(from.take.scales, from.scale[j], from.place, content);
  if (additive) {
    readReference(stack, from, 'scales', from.scale[j], j);
    for (let axis = 0; axis < 3; axis++) content[axis] /= reference[axis];
  }
  blendScales(scales, 3 * j, content, 0, additive, alphas, k);
}

/**
 * Blends translation and rotation of the root of a layer that is placed: its content is moved and turned as a rigid
 * whole first. Where the take records no translation, the one below counts as content. The root is the first joint
 * that is touched.
 */
export function blendPlacedTake(
  { alphas, placement }: CompiledLayer,
  from: TakeContent,
  moment: Moment,
  { translations, rotations }: Pose,
): void {
  const rotates = from.rotation[0] >= 0;
  if (from.translation[0] >= 0) readTranslation(from, moment, 0);
  else for (let axis = 0; axis < 3; axis++) moved[axis] = translations[axis];
  if (rotates) readTrack(from.take.rotations, from.rotation[0], from.place, content);
  placeRoot(placement!, moment, FRAME, moved, content, rotates);
  for (let axis = 0; axis < 3; axis++)
    translations[axis] = (1 - alphas[0]) * translations[axis] + alphas[0] * moved[axis];
  if (rotates) slerpBy(rotations, 0, rotations, 0, content, 0, alphas, 0);
}

/** Reads the translation of joint `j`; the root of a loop that travels gains over every turn. */
function readTranslation(from: TakeContent, moment: Moment, j: number): void {
  readTrack(from.take.translations, from.translation[j], from.place, moved);
  if (j === 0) for (let axis = 0; axis < 3; axis++) moved[axis] += moment[TURNS] * from.gain[axis];
}

/** Reads what an additive take is a change from. */
function readReference(
  stack: CompiledStack,
  from: TakeContent,
  kind: 'translations' | 'rotations' | 'scales',
  entry: number,
  j: number,
): void {
  const size = kind === 'rotations' ? 4 : 3;
  if (from.origin === 'rest') {
    for (let c = 0; c < size; c++) reference[c] = stack.rest[kind][size * j + c];
  } else {
    origin.s = from.origin;
    readTrack(from.take[kind], entry, origin, reference);
  }
}
