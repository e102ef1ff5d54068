import { locateIn, readRow, segmentAt } from '../curve/evaluate.js';
import { eulerToQuaternion, quaternionToEuler } from '../math/euler.js';
import { multiply, rotate, slerpBy } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { frameOf } from '../rig/topology.js';
import { turnChange } from './axes.js';
import { blendScales } from './blend-scale.js';
import type { CompiledLayer, CompiledStack } from './compiled.js';
import { FRAME, type Moment, OWN, ROUND } from './moment.js';
import { placeRoot } from './placement.js';
import {
  ANGLES,
  type ChannelStep,
  MOVES,
  SCALE,
  SCALES,
  SLOTS,
  TURNS,
  TURNS_PART,
} from './steps/channel-step.js';

// Room for one joint. Evaluation runs to its end without a pause, so one of each is enough.
const content = new Float64Array(4);
const delta = new Float64Array(4);
const angles = new Float64Array(3);
const moved = new Float64Array(3);
const scaled = new Float64Array(3);

/** Reads all keyed channels of a layer at its own frame, before they are blended. */
export function readChannels(from: ChannelStep, moment: Moment): void {
  const { grids, segment, spot, keyed, first, gridOf, values, rows, handles } = from;
  for (let g = 0; g < grids.length; g++) {
    segment[g] = segmentAt(grids[g], moment, OWN);
    locateIn(grids[g], segment[g], moment, OWN, spot, 2 * g);
  }
  if (handles) {
    for (let i = 0; i < keyed.length; i++)
      readRow(from, first[i] + segment[gridOf[i]], spot, 2 * gridOf[i], values, keyed[i]);
    return;
  }
  for (let i = 0; i < keyed.length; i++) {
    const g = gridOf[i];
    const row = 4 * (first[i] + segment[g]);
    const x = spot[2 * g];
    values[keyed[i]] = rows[row] + x * (rows[row + 1] + x * (rows[row + 2] + x * rows[row + 3]));
  }
}

/** Reads the translation channels of the `k`-th touched joint; a root in a loop that travels gains over every round. */
function readMove({ values, gain }: ChannelStep, k: number, moment: Moment): void {
  for (let axis = 0; axis < 3; axis++)
    moved[axis] = values[SLOTS * k + axis] + moment[ROUND] * gain[3 * k + axis];
}

/** Blends the scale channels of the `k`-th touched joint, after {@link readChannels}. */
export function blendChannelScales(
  { touched, alphas, additive }: CompiledLayer,
  { values }: ChannelStep,
  k: number,
  { scales }: Pose,
): void {
  for (let axis = 0; axis < 3; axis++) scaled[axis] = values[SLOTS * k + SCALE + axis];
  blendScales(scales, 3 * touched[k], scaled, 0, additive, alphas, k);
}

/** Overrides by the keyed channels of the `k`-th touched joint, after {@link readChannels}. */
export function overrideChannels(
  stack: CompiledStack,
  compiled: CompiledLayer,
  from: ChannelStep,
  moment: Moment,
  k: number,
  pose: Pose,
): void {
  const { touched, alphas, placement } = compiled;
  const { values } = from;
  const j = touched[k];
  const kinds = from.kinds[k];
  const { rotations } = pose;
  const placed = placement !== undefined && stack.parents[j] < 0 && kinds !== 0;
  const turned = (kinds & TURNS_PART) !== 0;
  if (turned) {
    // Axes without keys keep the angle that the pose below has.
    const order = stack.orders[j];
    const whole = (kinds & TURNS) !== 0;
    if (!whole) quaternionToEuler(angles, 0, order, rotations, 4 * j);
    for (let axis = 0; axis < 3; axis++) {
      const value = values[SLOTS * k + ANGLES + axis];
      if (whole || !Number.isNaN(value)) angles[axis] = value;
    }
    eulerToQuaternion(content, 0, order, angles, 0);
  }
  if (placed) {
    if (!turned) for (let c = 0; c < 4; c++) content[c] = rotations[4 * j + c];
    overridePlaced(stack.rig, compiled, from, moment, k, pose);
  } else if ((kinds & MOVES) !== 0) overrideMove(compiled, from, moment, k, pose);
  if (turned || placed) {
    if (alphas[k] === 1) for (let c = 0; c < 4; c++) rotations[4 * j + c] = content[c];
    else slerpBy(rotations, 4 * j, rotations, 4 * j, content, 0, alphas, k);
  }
  if ((kinds & SCALES) !== 0) blendChannelScales(compiled, from, k, pose);
}

/** Overrides the translation of the `k`-th touched joint by its keyed channels, after {@link readChannels}. */
export function overrideMove(
  { touched, alphas }: CompiledLayer,
  from: ChannelStep,
  moment: Moment,
  k: number,
  { translations }: Pose,
): void {
  const alpha = alphas[k];
  readMove(from, k, moment);
  for (let axis = 0; axis < 3; axis++) {
    if (Number.isNaN(moved[axis])) continue;
    const o = 3 * touched[k] + axis;
    translations[o] = (1 - alpha) * translations[o] + alpha * moved[axis];
  }
}

/** Overrides the translation of a root that is placed, and turns its rotation, which is in `content`. */
function overridePlaced(
  rig: Rig,
  { alphas, placement, touched }: CompiledLayer,
  from: ChannelStep,
  moment: Moment,
  k: number,
  { translations }: Pose,
): void {
  const o = 3 * touched[k];
  readMove(from, k, moment);
  for (let axis = 0; axis < 3; axis++) if (Number.isNaN(moved[axis])) moved[axis] = translations[o + axis];
  placeRoot(placement!, moment, FRAME, frameOf(rig, touched[k]), moved, content);
  for (let axis = 0; axis < 3; axis++)
    translations[o + axis] = (1 - alphas[k]) * translations[o + axis] + alphas[k] * moved[axis];
}

/**
 * Adds the keyed channels of the `k`-th touched joint, after {@link readChannels}. With `frameOf`, the change is
 * meant in other axes than the joint's: a quaternion that turns those axes into the joint's parent's.
 */
export function addChannels(
  stack: CompiledStack,
  compiled: CompiledLayer,
  from: ChannelStep,
  moment: Moment,
  k: number,
  pose: Pose,
  frameOf?: Float64Array,
): void {
  const { touched, alphas } = compiled;
  const { values } = from;
  const j = touched[k];
  const kinds = from.kinds[k];
  const { rotations } = pose;
  if ((kinds & TURNS_PART) !== 0) {
    for (let axis = 0; axis < 3; axis++) {
      const value = values[SLOTS * k + ANGLES + axis];
      angles[axis] = Number.isNaN(value) ? 0 : alphas[k] * value;
    }
    eulerToQuaternion(delta, 0, stack.orders[j], angles, 0);
    if (frameOf) {
      turnChange(frameOf, delta);
      multiply(rotations, 4 * j, delta, 0, rotations, 4 * j);
    } else multiply(rotations, 4 * j, rotations, 4 * j, delta, 0);
  }
  if ((kinds & MOVES) !== 0) addMove(compiled, from, moment, k, pose, frameOf, stack.lengths[j]);
  if ((kinds & SCALES) !== 0) blendChannelScales(compiled, from, k, pose);
}

/**
 * Adds the keyed translation of the `k`-th touched joint, as {@link addChannels} does. In other axes lengths are the scene's, of
 * which one of the joint's character has `length`.
 */
export function addMove(
  { touched, alphas }: CompiledLayer,
  from: ChannelStep,
  moment: Moment,
  k: number,
  { translations }: Pose,
  frameOf?: Float64Array,
  length = 1,
): void {
  readMove(from, k, moment);
  for (let axis = 0; axis < 3; axis++) moved[axis] = Number.isNaN(moved[axis]) ? 0 : alphas[k] * moved[axis];
  if (frameOf) {
    rotate(moved, 0, frameOf, 0, moved, 0);
    if (length !== 1) for (let axis = 0; axis < 3; axis++) moved[axis] /= length;
  }
  for (let axis = 0; axis < 3; axis++) translations[3 * touched[k] + axis] += moved[axis];
}
