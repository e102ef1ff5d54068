import type { Pose } from '../rig/pose.js';
import { locateFace } from '../take/face-curve.js';
import type { CompiledLayer } from './compiled.js';
import { type Moment, OWN } from './moment.js';
import type { ChannelStep } from './steps/channel-step.js';
import type { TakeStep } from './steps/take-step.js';

/** Blends what a take records of the face channels that a layer touches: values, or changes from its reference. */
export function blendTakeFaces(
  { faces, touched, alphas, additive, evenFaces }: CompiledLayer,
  from: TakeStep,
  moment: Moment,
  pose: Pose,
): void {
  const seconds = moment[OWN] / from.fps;
  const reference = from.reference.faces;
  const first = touched.length;
  const out = pose.faces;
  for (const { rows, touched: own, columns, spot, dense } of from.faces) {
    locateFace(rows, seconds, spot);
    // The sum of `readFace`, with what does not change from column to column taken out of the loop.
    const { values } = rows;
    const n = rows.curves.length;
    const at = spot.row * n;
    // By index: taking an array of numbers apart goes by an iterator.
    const { factors } = spot;
    const a = factors[0];
    const b = factors[1];
    const next = at + spot.next * n;
    if (dense && evenFaces && (!spot.cubic || spot.last)) {
      const w = alphas[first];
      const face = faces[own[0]];
      const keep = 1 - w;
      const wa = w * a;
      const wb = w * b;
      const count = own.length;
      if (additive)
        for (let k = 0; k < count; k++)
          out[face + k] += wa * values[at + k] + wb * values[next + k] - w * reference[face + k];
      else
        for (let k = 0; k < count; k++)
          out[face + k] = keep * out[face + k] + wa * values[at + k] + wb * values[next + k];
      continue;
    }
    const curved = spot.cubic && !spot.last;
    const c = factors[2];
    const d = factors[3];
    for (let k = 0; k < own.length; k++) {
      const face = faces[own[k]];
      const alpha = alphas[first + own[k]];
      const column = columns[k];
      let value = a * values[at + column] + b * values[next + column];
      if (curved) value += c * values[at + n + column] + d * values[next - n + column];
      out[face] = additive
        ? out[face] + alpha * (value - reference[face])
        : (1 - alpha) * out[face] + alpha * value;
    }
  }
}

/** Blends the keyed face channels that a layer touches, after `readChannels`. */
export function blendChannelFaces(
  { faces, touched, alphas, additive }: CompiledLayer,
  { values, firstFace }: ChannelStep,
  pose: Pose,
): void {
  const out = pose.faces;
  const first = touched.length;
  for (let i = 0; i < faces.length; i++) {
    const alpha = alphas[first + i];
    const below = out[faces[i]];
    out[faces[i]] = (additive ? below : (1 - alpha) * below) + alpha * values[firstFace + i];
  }
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
