import { offsetIn, segmentAt, valueIn } from '../curve/evaluate.js';
import { type EulerOrder, eulerToQuaternion, quaternionToEuler } from '../math/euler.js';
import { multiply, multiplyInverse, power, slerp } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import type { Track } from '../take/take.js';
import type { ChannelContent, CompiledStack, TakeContent } from './compile.js';

const SMALLEST_SCALE = 1e-6;

// Room for one joint. Evaluation runs to its end without a pause, so one of each is enough.
const content = new Float64Array(4);
const reference = new Float64Array(4);
const delta = new Float64Array(4);
const angles = new Float64Array(3);

/** Reads one entry of a track between samples `s` and `s + 1` at fraction `u` into `out`. */
function readTrack(track: Track, entry: number, s: number, u: number, out: Float64Array): void {
  const { values, size } = track;
  const stride = size * track.joints.length;
  const a = s * stride + entry * size;
  if (u === 0) {
    for (let k = 0; k < size; k++) out[k] = values[a + k];
  } else if (size === 4) {
    slerp(out, 0, values, a, values, a + stride, u);
  } else {
    for (let k = 0; k < size; k++) out[k] = (1 - u) * values[a + k] + u * values[a + stride + k];
  }
}

/** Blends what a take records of joint `j` into the pose, by `alpha`. `time` is in seconds. */
export function blendTake(
  stack: CompiledStack,
  from: TakeContent,
  additive: boolean,
  origin: number | 'rest',
  time: number,
  j: number,
  alpha: number,
  pose: Pose,
): void {
  const { take } = from;
  const last = take.count - 1;
  const position = Math.min(last, Math.max(0, time / take.interval));
  // A frame that falls on a sample up to rounding reads that sample alone.
  const nearest = Math.round(position);
  const onSample = Math.abs(position - nearest) < 1e-9;
  const s = onSample ? nearest : Math.floor(position);
  const u = onSample ? 0 : position - s;
  const { translations, rotations, scales } = pose;

  const rotation = from.rotation[j];
  if (rotation >= 0) {
    readTrack(take.rotations, rotation, s, u, content);
    if (!additive) slerp(rotations, 4 * j, rotations, 4 * j, content, 0, alpha);
    else {
      if (origin === 'rest') for (let k = 0; k < 4; k++) reference[k] = stack.rest.rotations[4 * j + k];
      else readTrack(take.rotations, rotation, origin, 0, reference);
      multiplyInverse(delta, 0, reference, 0, content, 0);
      power(delta, 0, delta, 0, alpha);
      multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
    }
  }
  const translation = from.translation[j];
  if (translation >= 0) {
    readTrack(take.translations, translation, s, u, content);
    if (additive) {
      if (origin === 'rest') for (let k = 0; k < 3; k++) reference[k] = stack.rest.translations[3 * j + k];
      else readTrack(take.translations, translation, origin, 0, reference);
      for (let k = 0; k < 3; k++) translations[3 * j + k] += alpha * (content[k] - reference[k]);
    } else {
      for (let k = 0; k < 3; k++)
        translations[3 * j + k] = (1 - alpha) * translations[3 * j + k] + alpha * content[k];
    }
  }
  const scale = from.scale[j];
  if (scale >= 0) {
    readTrack(take.scales, scale, s, u, content);
    if (additive) {
      if (origin === 'rest') for (let k = 0; k < 3; k++) reference[k] = stack.rest.scales[3 * j + k];
      else readTrack(take.scales, scale, origin, 0, reference);
    }
    for (let k = 0; k < 3; k++)
      blendScale(scales, 3 * j + k, additive ? content[k] / reference[k] : content[k], additive, alpha);
  }
}

function blendScale(scales: Float64Array, o: number, value: number, additive: boolean, alpha: number): void {
  const held = Math.max(SMALLEST_SCALE, value);
  scales[o] = additive ? scales[o] * held ** alpha : (1 - alpha) * scales[o] + alpha * held;
  if (scales[o] < SMALLEST_SCALE) scales[o] = SMALLEST_SCALE;
}

/** Finds the segments of a layer's grids at a frame, before its channels are read there. */
export function locateSegments({ grids, segment, offset, length }: ChannelContent, frame: number): void {
  for (let g = 0; g < grids.length; g++) {
    const grid = grids[g];
    const s = segmentAt(grid, frame);
    segment[g] = s;
    offset[g] = offsetIn(grid, s, frame);
    length[g] = s + 1 < grid.length ? grid[s + 1] - grid[s] : 0;
  }
}

/** Value of the curve in a slot, after {@link locateSegments}. */
export function channelValue(from: ChannelContent, slot: number): number {
  const g = from.gridOf[slot];
  return valueIn(from, from.first[slot] + from.segment[g], from.offset[g], from.length[g]);
}

/**
 * Blends the keyed channels of joint `j`, the `k`-th that its layer touches, into the pose by `alpha`, after
 * {@link locateSegments}.
 */
export function blendChannels(
  from: ChannelContent,
  additive: boolean,
  order: EulerOrder,
  k: number,
  j: number,
  alpha: number,
  pose: Pose,
): void {
  const { first } = from;
  const slot = 9 * k;
  const { translations, rotations, scales } = pose;
  for (let axis = 0; axis < 3; axis++) {
    if (first[slot + axis] >= 0) {
      const value = channelValue(from, slot + axis);
      const o = 3 * j + axis;
      translations[o] = additive
        ? translations[o] + alpha * value
        : (1 - alpha) * translations[o] + alpha * value;
    }
    if (first[slot + 6 + axis] >= 0) {
      blendScale(scales, 3 * j + axis, channelValue(from, slot + 6 + axis), additive, alpha);
    }
  }
  const rx = first[slot + 3] >= 0;
  const ry = first[slot + 4] >= 0;
  const rz = first[slot + 5] >= 0;
  if (!rx && !ry && !rz) return;
  if (additive || (rx && ry && rz)) {
    angles[0] = 0;
    angles[1] = 0;
    angles[2] = 0;
  } else quaternionToEuler(angles, 0, order, rotations, 4 * j);
  if (rx) angles[0] = channelValue(from, slot + 3);
  if (ry) angles[1] = channelValue(from, slot + 4);
  if (rz) angles[2] = channelValue(from, slot + 5);
  if (additive) {
    eulerToQuaternion(delta, 0, order, alpha * angles[0], alpha * angles[1], alpha * angles[2]);
    multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
  } else {
    eulerToQuaternion(content, 0, order, angles[0], angles[1], angles[2]);
    slerp(rotations, 4 * j, rotations, 4 * j, content, 0, alpha);
  }
}
