import { placeIn, readRow, segmentAt } from '../curve/evaluate.js';
import { eulerToQuaternion, quaternionToEuler } from '../math/euler.js';
import { multiply, slerpBy } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import { readChange } from './axes.js';
import { blendScales } from './blend-scale.js';
import type { CompiledLayer, CompiledStack } from './compile.js';
import type { ChannelContent } from './content.js';
import { FRAME, type Moment, OWN, TURNS } from './moment.js';
import { placeRoot } from './placement.js';

// Room for one joint. Evaluation runs to its end without a pause, so one of each is enough.
const content = new Float64Array(4);
const delta = new Float64Array(4);
const angles = new Float64Array(3);
const moved = new Float64Array(3);
const scaled = new Float64Array(3);

/** Finds the segments of a layer's grids at its own frame, before its channels are read there. */
export function locateSegments({ grids, segment, place }: ChannelContent, moment: Moment): void {
  for (let g = 0; g < grids.length; g++) {
    segment[g] = segmentAt(grids[g], moment, OWN);
    placeIn(grids[g], segment[g], moment, OWN, place, 2 * g);
  }
}

/** Writes the value of the curve in a slot, after {@link locateSegments}. */
export function readChannel(from: ChannelContent, slot: number, out: Float64Array, o: number): void {
  const g = from.gridOf[slot];
  readRow(from, from.first[slot] + from.segment[g], from.place, 2 * g, out, o);
}

const isKeyed = (from: ChannelContent, slot: number): boolean => from.first[slot] >= 0;

const rotates = (from: ChannelContent, slot: number): boolean =>
  isKeyed(from, slot + 3) || isKeyed(from, slot + 4) || isKeyed(from, slot + 5);

/** Writes a translation channel of joint `j`; the root of a loop that travels gains over every turn. */
function readMove(from: ChannelContent, slot: number, axis: number, j: number, moment: Moment): void {
  readChannel(from, slot + axis, moved, axis);
  if (j === 0) moved[axis] += moment[TURNS] * from.gain[axis];
}

/** Blends the scale channels of the `k`-th touched joint. */
function blendChannelScales(
  { touched, alphas, additive }: CompiledLayer,
  from: ChannelContent,
  k: number,
  { scales }: Pose,
): void {
  const slot = 9 * k + 6;
  if (!isKeyed(from, slot) && !isKeyed(from, slot + 1) && !isKeyed(from, slot + 2)) return;
  for (let axis = 0; axis < 3; axis++) {
    scaled[axis] = Number.NaN;
    if (isKeyed(from, slot + axis)) readChannel(from, slot + axis, scaled, axis);
  }
  blendScales(scales, 3 * touched[k], scaled, 0, additive, alphas, k);
}

/** Overrides by the keyed channels of the `k`-th touched joint, after {@link locateSegments}. */
export function overrideChannels(
  stack: CompiledStack,
  compiled: CompiledLayer,
  from: ChannelContent,
  moment: Moment,
  k: number,
  pose: Pose,
): void {
  const { touched, alphas, placement } = compiled;
  const j = touched[k];
  const alpha = alphas[k];
  const slot = 9 * k;
  const { translations, rotations } = pose;
  const order = stack.orders[j];
  const turned = rotates(from, slot);
  if (turned) {
    // Axes without keys keep the angle that the pose below has.
    if (!(isKeyed(from, slot + 3) && isKeyed(from, slot + 4) && isKeyed(from, slot + 5)))
      quaternionToEuler(angles, 0, order, rotations, 4 * j);
    for (let axis = 0; axis < 3; axis++)
      if (isKeyed(from, slot + 3 + axis)) readChannel(from, slot + 3 + axis, angles, axis);
    eulerToQuaternion(content, 0, order, angles, 0);
  }
  const placed = j === 0 && placement !== undefined;
  for (let axis = 0; axis < 3; axis++) {
    moved[axis] = translations[3 * j + axis];
    if (isKeyed(from, slot + axis)) readMove(from, slot, axis, j, moment);
  }
  if (placed) placeRoot(placement, moment, FRAME, moved, content, turned);
  for (let axis = 0; axis < 3; axis++) {
    const o = 3 * j + axis;
    if (placed || isKeyed(from, slot + axis))
      translations[o] = (1 - alpha) * translations[o] + alpha * moved[axis];
  }
  if (turned) slerpBy(rotations, 4 * j, rotations, 4 * j, content, 0, alphas, k);
  blendChannelScales(compiled, from, k, pose);
}

/**
 * Adds the keyed channels of the `k`-th touched joint, after {@link locateSegments}. With `frameOf`, the change is
 * meant in other axes than the joint's: a quaternion that turns those axes into the joint's parent's.
 */
export function addChannels(
  stack: CompiledStack,
  compiled: CompiledLayer,
  from: ChannelContent,
  moment: Moment,
  k: number,
  pose: Pose,
  frameOf?: Float64Array,
): void {
  const j = compiled.touched[k];
  const alpha = compiled.alphas[k];
  const slot = 9 * k;
  const { translations, rotations } = pose;
  for (let axis = 0; axis < 3; axis++) {
    moved[axis] = 0;
    if (isKeyed(from, slot + axis)) readMove(from, slot, axis, j, moment);
    moved[axis] *= alpha;
  }
  const turned = rotates(from, slot);
  if (turned) {
    for (let axis = 0; axis < 3; axis++) {
      angles[axis] = 0;
      if (isKeyed(from, slot + 3 + axis)) readChannel(from, slot + 3 + axis, angles, axis);
      angles[axis] *= alpha;
    }
    eulerToQuaternion(delta, 0, stack.orders[j], angles, 0);
  }
  if (frameOf) {
    readChange(frameOf, moved, delta);
    if (turned) multiply(rotations, 4 * j, delta, 0, rotations, 4 * j);
  } else if (turned) multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
  for (let axis = 0; axis < 3; axis++) translations[3 * j + axis] += moved[axis];
  blendChannelScales(compiled, from, k, pose);
}
