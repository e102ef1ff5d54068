import type { Pose } from '../rig/pose.js';
import { readFace } from '../take/face-curve.js';
import type { CompiledLayer } from './compiled.js';
import { type Moment, OWN } from './moment.js';
import type { ChannelStep } from './steps/channel-step.js';
import type { TakeStep } from './steps/take-step.js';

// Room for one face channel. Evaluation runs to its end without a pause, so one of each is enough.
const seconds = new Float64Array(1);
const value = new Float64Array(1);

/** Blends what a take records of the face channels that a layer touches: values, or changes from its reference. */
export function blendTakeFaces(compiled: CompiledLayer, from: TakeStep, moment: Moment, pose: Pose): void {
  const { faces } = compiled;
  if (faces.length === 0) return;
  seconds[0] = moment[OWN] / from.fps;
  for (let i = 0; i < faces.length; i++) {
    const entry = from.face[faces[i]];
    readFace(from.take.faceCurves![entry], seconds, 0, from.faceKeys, entry, value, 0);
    if (compiled.additive) value[0] -= from.reference.faces[faces[i]];
    blendFace(compiled, i, value, 0, pose);
  }
}

/** Blends the keyed face channels that a layer touches, after `readChannels`. */
export function blendChannelFaces(
  compiled: CompiledLayer,
  { values, firstFace }: ChannelStep,
  pose: Pose,
): void {
  for (let i = 0; i < compiled.faces.length; i++) blendFace(compiled, i, values, firstFace + i, pose);
}

/** Blends `values[v]` into the `i`-th touched face channel: in its place by α, or added. */
export function blendFace(
  { faces, touched, alphas, additive }: CompiledLayer,
  i: number,
  values: Float64Array,
  v: number,
  pose: Pose,
): void {
  const alpha = alphas[touched.length + i];
  const below = additive ? 1 : 1 - alpha;
  pose.faces[faces[i]] = below * pose.faces[faces[i]] + alpha * values[v];
}
