import type { Channel } from '../layer/layer.js';
import { allowsChannel } from '../layer/layer.js';
import { DEGREES, quaternionToEuler, RADIANS, unwindEuler } from '../math/euler.js';
import { multiply, multiplyInverse, power } from '../math/quaternion.js';
import { channelValue, locateSegments } from './blend.js';
import type { CompiledStack } from './compile.js';
import { alphaAt } from './evaluate.js';
import { solveBeneath } from './invert.js';

/** Values for the channels of one joint, degrees for rotations: what a key would hold. */
export type ChannelValues = { [C in Channel]?: number };

/** Below this a layer counts too little for a pose to be solved: the value would fly off. */
export const SMALLEST_ALPHA = 0.05;

/** Where a joint is wanted: its local rotation (unit quaternion), its local translation, or both. */
export interface WantedTransform {
  readonly rotation?: readonly number[];
  readonly translation?: readonly number[];
}

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
  const alpha = alphaAt(stack, index, j, frame);
  if (alpha < SMALLEST_ALPHA) return undefined;
  const held = solveBeneath(stack, frame, index, j, wanted);
  if (!held) return undefined;
  const { layer, additive } = stack.layers[index];
  const order = stack.orders[j];
  const name = stack.rig.joints[j].name;
  const values: ChannelValues = {};
  if (wanted.rotation) {
    const turn = [0, 0, 0, 1];
    multiplyInverse(turn, 0, held.below.rotations, 4 * j, held.rotation, 0);
    if (!additive) {
      power(turn, 0, turn, 0, withinHalfTurn(turn, 1 / alpha));
      multiply(turn, 0, held.below.rotations, 4 * j, turn, 0);
    }
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, order, turn, 0);
    const factor = additive ? alpha : 1;
    const near = [3, 4, 5].map((slot) => currentValue(stack, index, j, slot, frame) * factor);
    unwindEuler(angles, 0, order, near, 0);
    for (const [axis, channel] of (['rx', 'ry', 'rz'] as const).entries()) {
      if (allowsChannel(layer, name, channel)) values[channel] = (angles[axis] / factor) * DEGREES;
    }
  }
  if (wanted.translation) {
    for (const [axis, channel] of (['tx', 'ty', 'tz'] as const).entries()) {
      if (!allowsChannel(layer, name, channel)) continue;
      const below = held.below.translations[3 * j + axis];
      const change = (held.translation[axis] - below) / alpha;
      values[channel] = additive ? change : below + change;
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
  const { content, touched } = stack.layers[index];
  const k = touched.indexOf(j);
  if (content.kind !== 'channels' || k < 0) return 0;
  if (content.first[9 * k + slot] < 0) return 0;
  locateSegments(content, frame);
  return channelValue(content, 9 * k + slot);
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
