import type { Curve } from '../../curve/curve.js';
import { FRAME_TOLERANCE } from '../../curve/curve.js';
import { curveAt } from '../../curve/evaluate.js';
import type { CompiledStack } from '../../evaluate/compiled.js';
import { applyLayers } from '../../evaluate/evaluate.js';
import { CHANNELS, type Channel, channelsOf, type JointChannels } from '../../layer/content.js';
import { layerCurves } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { ownFrame, ownTime } from '../../layer/time.js';
import { emptyRecord, entryOf } from '../../record.js';
import { isFace, memberName } from '../../rig/members.js';
import { restPose } from '../../rig/pose.js';
import { type ChannelValues, channelsOfPose } from '../../solve/solve.js';
import { keyPose, type PoseValues } from './keys.js';

/** The value of a channel that changes nothing on an additive layer. */
export const nothingOf = (channel: Channel): number => (channel[0] === 's' ? 1 : 0);

/**
 * One value for each keyed channel of some joints of a layer, or of all that it keys, at a frame of the project; left out
 * where there is none. `read` is given the layer's own frame.
 */
function valuesOfCurves(
  project: Project,
  id: string,
  frame: number,
  joints: readonly string[] | undefined,
  read: (curve: Curve, own: number, channel: Channel) => number | undefined,
): PoseValues {
  const values = emptyRecord<ChannelValues>();
  const layer = layerById(project, id);
  if (!layer) return values;
  const own = ownFrame(ownTime(layer, undefined, project.fps), frame);
  const wanted = joints && new Set(joints);
  for (const { joint, channel, curve } of layerCurves(layer)) {
    const value = wanted && !wanted.has(joint) ? undefined : read(curve, own, channel);
    if (value === undefined) continue;
    values[joint] ??= {};
    values[joint][channel] = value;
  }
  return values;
}

/** The values that a layer's keyed channels hold at a frame of the project. */
export const valuesHeld = (
  project: Project,
  id: string,
  frame: number,
  joints?: readonly string[],
): PoseValues => valuesOfCurves(project, id, frame, joints, curveAt);

/**
 * Values between the key before a frame and the key after it, channel by channel: 0 is the one before, 1 the one after,
 * and past both it goes on. A channel with keys on one side alone holds the value of the nearest.
 */
export const valuesBetween = (
  project: Project,
  id: string,
  frame: number,
  amount: number,
  joints?: readonly string[],
): PoseValues =>
  valuesOfCurves(project, id, frame, joints, ({ keys }, own) => {
    const before = keys.findLast((key) => key.frame < own - FRAME_TOLERANCE);
    const after = keys.find((key) => key.frame > own + FRAME_TOLERANCE);
    if (!before || !after) return (before ?? after)?.value;
    return before.value + (after.value - before.value) * amount;
  });

/** The values of the keys at a frame or, channel by channel, of the last ones before it. */
export const valuesOfKeyBefore = (
  project: Project,
  id: string,
  frame: number,
  joints?: readonly string[],
): PoseValues =>
  valuesOfCurves(
    project,
    id,
    frame,
    joints,
    ({ keys }, own) => keys.findLast((key) => key.frame <= own + FRAME_TOLERANCE)?.value,
  );

/**
 * What a layer has to hold so that what is below it is seen: on an additive layer exactly nothing, on an override layer
 * the pose below. Of joints without keys the rotation, and of the root the translation. `joints` are indices among the members
 * of the rig.
 */
export function valuesOfBelow(
  stack: CompiledStack,
  index: number,
  frame: number,
  joints: readonly number[],
): PoseValues {
  const { layer, additive } = stack.layers[index];
  const values = emptyRecord<ChannelValues>();
  const below = restPose(stack.rig);
  if (!additive) applyLayers(stack, frame, 0, index, below);
  for (const j of joints) {
    if (isFace(stack.rig, j)) {
      values[memberName(stack.rig, j)] = { m: additive ? 0 : below.faces[j - stack.rig.joints.length] };
      continue;
    }
    const { name, parent } = stack.rig.joints[j];
    const keyed = channelsKeyed(entryOf(channelsOf(layer), name));
    const root: readonly Channel[] = parent < 0 && !additive ? ['tx', 'ty', 'tz'] : [];
    const wanted = new Set([...(keyed.length > 0 ? keyed : (['rx', 'ry', 'rz'] as const)), ...root]);
    const held: ChannelValues = additive ? {} : channelsOfPose(stack, j, below);
    values[name] = {};
    for (const channel of CHANNELS) {
      if (!wanted.has(channel)) continue;
      const scale = channel[0] === 's' && !additive ? below.scales[3 * j + 'xyz'.indexOf(channel[1])] : 1;
      values[name][channel] = additive ? nothingOf(channel) : (held[channel] ?? scale);
    }
  }
  return values;
}

const channelsKeyed = (channels: JointChannels | undefined): Channel[] =>
  channels ? CHANNELS.filter((channel) => (channels[channel]?.keys.length ?? 0) > 0) : [];

/** Values on the way from those that a layer holds to others: 0 is what it holds, 1 the others. */
export function valuesTowards(held: PoseValues, wanted: PoseValues, amount: number): PoseValues {
  const values = emptyRecord<ChannelValues>();
  for (const [joint, channels] of Object.entries(wanted)) {
    values[joint] = {};
    for (const channel of CHANNELS) {
      const to = channels[channel];
      if (to === undefined) continue;
      const from = entryOf(held, joint)?.[channel] ?? to;
      values[joint][channel] = from + (to - from) * amount;
    }
  }
  return values;
}

/** Lets the one key of an additive layer act around its frame alone: nothing so many frames before it and after it. */
export function keyAround(project: Project, id: string, frame: number, frames: number): Project {
  const nothing = valuesOfCurves(project, id, frame, undefined, (_curve, _own, channel) =>
    nothingOf(channel),
  );
  return [frame - frames, frame + frames].reduce((current, at) => keyPose(current, id, at, nothing), project);
}
