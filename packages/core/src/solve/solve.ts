import { findAxes, turnChange, turnIntoParent } from '../evaluate/axes.js';
import { readChannels } from '../evaluate/blend-channels.js';
import { SMALLEST_SCALE } from '../evaluate/blend-scale.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt } from '../evaluate/evaluate.js';
import { FRAME, newMoment, OWN } from '../evaluate/moment.js';
import { findSpace, takeFromPlace } from '../evaluate/placement.js';
import { SLOTS } from '../evaluate/steps/channel-step.js';
import { channelStepOf } from '../evaluate/steps/step.js';
import type { Channel } from '../layer/content.js';
import { allowsChannel } from '../layer/layer.js';
import { readOwnFrame } from '../layer/time.js';
import { DEGREES, quaternionToEuler, RADIANS, unwindEuler } from '../math/euler.js';
import { multiply, multiplyByInverse, multiplyInverse, power, rotate } from '../math/quaternion.js';
import { isFace, memberName } from '../rig/members.js';
import { globalOrientations } from '../rig/pose.js';
import { frameOf } from '../rig/topology.js';
import { type Held, solveBeneath, type WantedTransform } from './beneath.js';

/**
 * Values for the channels of one joint or face channel, degrees for rotations: what the layer has to hold at the frame. In a loop that
 * travels a key of the root holds that less what its cycle has gained by then, which `keyPose` takes off.
 */
export type ChannelValues = { [C in Channel]?: number };

/** Below this a layer counts too little for a pose to be solved: the value would be a multiple of what is wanted. */
export const SMALLEST_ALPHA = 0.05;

/**
 * Solves for the values that layer `index` must hold at a frame for joint `j`, so that the pose that is seen
 * has the joint where it is wanted, whatever the layer counts there and whatever lies above it.
 * Returns undefined where the layer counts less than {@link SMALLEST_ALPHA} or is covered from above.
 * An override layer reaches at most half a turn from what is below, however little it counts.
 */
export function solveChannels(
  stack: CompiledStack,
  frame: number,
  index: number,
  j: number,
  wanted: WantedTransform,
): ChannelValues | undefined {
  return solvePose(stack, frame, index, new Map([[j, wanted]]))?.get(j);
}

/**
 * Solves for the values that layer `index` must hold at a frame for several joints at once, as {@link solveChannels}
 * does for one. Returns undefined where one of them cannot be shown where it is wanted.
 */
export function solvePose(
  stack: CompiledStack,
  frame: number,
  index: number,
  wanted: ReadonlyMap<number, WantedTransform>,
): Map<number, ChannelValues> | undefined {
  if ([...wanted.keys()].some((j) => alphaAt(stack, index, j, frame) < SMALLEST_ALPHA)) return undefined;
  const held = solveBeneath(stack, frame, index, wanted);
  if (!held) return undefined;
  const { additive } = stack.layers[index];
  const values = new Map<number, ChannelValues>();
  for (const [j, transform] of wanted) {
    if (isFace(stack.rig, j)) {
      values.set(j, faceNeeded(stack, frame, index, j, held));
      continue;
    }
    const alpha = alphaAt(stack, index, j, frame);
    const rotation = [...held.pose.rotations.subarray(4 * j, 4 * j + 4)];
    const translation = [...held.pose.translations.subarray(3 * j, 3 * j + 3)];
    if (additive) changeNeeded(stack, index, j, held, alpha, translation, rotation);
    else contentNeeded(stack, frame, index, j, held, alpha, translation, rotation);
    values.set(j, {
      ...valuesOf(stack, frame, index, j, transform, alpha, translation, rotation),
      ...(transform.scale && scaleNeeded(stack, index, j, held, alpha)),
    });
  }
  return values;
}

/** What the layer has to hold of a face channel. */
function faceNeeded(
  stack: CompiledStack,
  frame: number,
  index: number,
  member: number,
  { below, pose }: Held,
): ChannelValues {
  const { layer, additive } = stack.layers[index];
  const f = member - stack.rig.joints.length;
  if (!allowsChannel(layer, memberName(stack.rig, member), 'm')) return {};
  const change = (pose.faces[f] - below.faces[f]) / alphaAt(stack, index, member, frame);
  return { m: additive ? change : below.faces[f] + change };
}

/** What the layer has to hold of a joint's scale; where it is too small to be divided by, as if it were not. */
function scaleNeeded(
  stack: CompiledStack,
  index: number,
  j: number,
  { below, pose }: Held,
  alpha: number,
): ChannelValues {
  const { layer, additive } = stack.layers[index];
  const { name } = stack.rig.joints[j];
  const values: ChannelValues = {};
  for (const [axis, channel] of (['sx', 'sy', 'sz'] as const).entries()) {
    if (!allowsChannel(layer, name, channel)) continue;
    const [was, is] = [below.scales[3 * j + axis], pose.scales[3 * j + axis]];
    values[channel] = additive
      ? (Math.max(SMALLEST_SCALE, is) / Math.max(SMALLEST_SCALE, was)) ** (1 / alpha)
      : was + (is - was) / alpha;
  }
  return values;
}

/** The change, in the layer's axes, that takes what is below to what is held; translation by whole weight. */
function changeNeeded(
  stack: CompiledStack,
  index: number,
  j: number,
  held: Held,
  alpha: number,
  translation: number[],
  rotation: number[],
): void {
  const { layer } = stack.layers[index];
  for (let axis = 0; axis < 3; axis++) translation[axis] -= held.below.translations[3 * j + axis];
  if (layer.axes === 'joint') {
    multiplyInverse(rotation, 0, held.below.rotations, 4 * j, rotation, 0);
  } else {
    multiplyByInverse(rotation, 0, rotation, 0, held.below.rotations, 4 * j);
    const into = new Float64Array(4);
    findAxes(stack, layer.axes, held.below);
    const orientations = globalOrientations(stack.rig, held.pose, new Float64Array(4 * stack.orders.length));
    turnIntoParent(stack, j, orientations, into);
    const out = Float64Array.of(-into[0], -into[1], -into[2], into[3]);
    const moved = Float64Array.from(translation);
    const turned = Float64Array.from(rotation);
    rotate(moved, 0, out, 0, moved, 0);
    turnChange(out, turned);
    for (let axis = 0; axis < 3; axis++) translation[axis] = moved[axis] * stack.lengths[j];
    for (let c = 0; c < 4; c++) rotation[c] = turned[c];
  }
  for (let axis = 0; axis < 3; axis++) translation[axis] /= alpha;
}

/** The content that, blended by α over what is below, gives what is held. */
function contentNeeded(
  stack: CompiledStack,
  frame: number,
  index: number,
  j: number,
  held: Held,
  alpha: number,
  translation: number[],
  rotation: number[],
): void {
  const { below } = held;
  multiplyInverse(rotation, 0, below.rotations, 4 * j, rotation, 0);
  power(rotation, 0, rotation, 0, withinHalfTurn(rotation, 1 / alpha));
  multiply(rotation, 0, below.rotations, 4 * j, rotation, 0);
  for (let axis = 0; axis < 3; axis++) {
    const from = below.translations[3 * j + axis];
    translation[axis] = from + (translation[axis] - from) / alpha;
  }
  const { placement } = stack.layers[index];
  if (!placement || stack.parents[j] >= 0) return;
  findSpace(placement, stack.rig, below);
  takeFromPlace(placement, frame, frameOf(stack.rig, j), translation, rotation);
}

/** Channel values of a translation and a rotation; an additive rotation is divided by α number by number. */
function valuesOf(
  stack: CompiledStack,
  frame: number,
  index: number,
  j: number,
  wanted: WantedTransform,
  alpha: number,
  translation: readonly number[],
  rotation: readonly number[],
): ChannelValues {
  const { layer, additive } = stack.layers[index];
  const { name } = stack.rig.joints[j];
  const values: ChannelValues = {};
  if (wanted.rotation) {
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, stack.orders[j], [...rotation], 0);
    const factor = additive ? alpha : 1;
    const near = [3, 4, 5].map((slot) => currentValue(stack, index, j, slot, frame) * factor);
    unwindEuler(angles, 0, stack.orders[j], near, 0);
    for (const [axis, channel] of (['rx', 'ry', 'rz'] as const).entries()) {
      if (allowsChannel(layer, name, channel)) values[channel] = (angles[axis] / factor) * DEGREES;
    }
  }
  if (wanted.translation) {
    for (const [axis, channel] of (['tx', 'ty', 'tz'] as const).entries()) {
      if (allowsChannel(layer, name, channel)) values[channel] = translation[axis];
    }
  }
  return values;
}

/** The largest factor up to `factor` that does not turn further than half a turn. */
function withinHalfTurn(turn: readonly number[], factor: number): number {
  const angle = 2 * Math.atan2(Math.hypot(turn[0], turn[1], turn[2]), Math.abs(turn[3]));
  return angle > 0 ? Math.min(factor, Math.max(1, (Math.PI - 1e-6) / angle)) : factor;
}

/** The value in radians that the layer holds now in a rotation slot of a joint; 0 where nothing is keyed. */
function currentValue(stack: CompiledStack, index: number, j: number, slot: number, frame: number): number {
  const { steps, touched } = stack.layers[index];
  const step = channelStepOf(steps);
  const k = touched.indexOf(j);
  if (!step || k < 0) return 0;
  const moment = newMoment();
  moment[FRAME] = frame;
  readOwnFrame(stack.layers[index].time, moment, FRAME, moment, OWN);
  readChannels(step, moment);
  const value = step.values[SLOTS * k + slot];
  return Number.isNaN(value) ? 0 : value;
}

/** The values that an override layer would hold to show a pose's joint as it is, degrees for rotations. */
export function channelsOfPose(
  stack: CompiledStack,
  j: number,
  pose: { readonly translations: Float64Array; readonly rotations: Float64Array },
  near: ChannelValues = {},
): Required<Pick<ChannelValues, 'tx' | 'ty' | 'tz' | 'rx' | 'ry' | 'rz'>> {
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, stack.orders[j], pose.rotations, 4 * j);
  unwindEuler(
    angles,
    0,
    stack.orders[j],
    [near.rx ?? 0, near.ry ?? 0, near.rz ?? 0].map((v) => v * RADIANS),
    0,
  );
  const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
  const [tx, ty, tz] = pose.translations.subarray(3 * j, 3 * j + 3);
  return { tx, ty, tz, rx, ry, rz };
}
