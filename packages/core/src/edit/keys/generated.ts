import type { Curve } from '../../curve/curve.js';
import { keysOfSamples } from '../../curve/sampled-keys.js';
import { compileStack } from '../../evaluate/compile.js';
import { applyLayers } from '../../evaluate/evaluate.js';
import {
  type Channel,
  type Channels,
  channelsOf,
  type JointChannels,
  keyed,
  takesKeys,
  targetsOf,
  withChannels,
} from '../../layer/content.js';
import { freeColor, freeName } from '../../layer/insert.js';
import { allowsChannel, channelsOfMember, newLayer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { ownTime } from '../../layer/time.js';
import { DEGREES, quaternionToEuler, unwindEuler } from '../../math/euler.js';
import { type Follow, followChain, type PosesOverTime } from '../../motion/follow.js';
import { noiseSamples, seedFor } from '../../motion/noise.js';
import { emptyRecord, entryOf } from '../../record.js';
import { copyPose, restPose } from '../../rig/pose.js';
import { changeLayer } from '../change.js';
import { nothingOf } from './pose-values.js';

/** What noise is put on: channels of joints and face channels of an additive layer. */
export interface NoiseOn {
  readonly joints: readonly string[];
  readonly channels: readonly Channel[];
  /** How far angles go to either side in degrees, lengths in units of the rig, scales and face channels in parts of one. */
  readonly angle: number;
  readonly length: number;
  readonly scale: number;
  /** Waves a second. */
  readonly frequency: number;
  readonly seed: number;
  /** Whether every frame gets a key; else the frames on which the noise turns. */
  readonly everyFrame: boolean;
}

/**
 * Puts noise on channels of a layer, in place of the keys that they have: over its span where it has one, over its cycle
 * where it loops, so that it goes round, else over the range of the project. Each channel has noise of its own; the
 * same seed gives the same. A channel that the layer may not key is left out.
 */
export function putNoise(project: Project, id: string, on: NoiseOn): Project {
  return changeLayer(project, id, (layer) => {
    if (!takesKeys(layer)) return layer;
    const time = ownTime(layer, undefined, project.fps);
    const loops = time.loop !== 'none';
    const [first, last] = [layer.span?.start ?? project.range[0], layer.span?.end ?? project.range[1]];
    const ends = loops
      ? [time.start, time.start + time.length]
      : [first, last].map((frame) => (frame - time.offset) * time.speed).sort((a, b) => a - b);
    const count = Math.max(2, Math.floor(ends[1] - ends[0] + 1e-6) + 1);
    const frames = Float64Array.from({ length: count }, (_, k) => ends[0] + k);
    const channels = emptyRecord<JointChannels>(channelsOf(layer));
    for (const joint of on.joints) {
      const own: { [C in Channel]?: Curve } = { ...entryOf(channels, joint) };
      const has = channelsOfMember(project.rig, joint);
      for (const channel of has.includes('m') ? has : on.channels) {
        if (!allowsChannel(layer, joint, channel)) continue;
        const nothing = layer.mode === 'additive' ? nothingOf(channel) : 0;
        const values = noiseSamples(
          {
            seed: seedFor(on.seed, `${joint} ${channel}`),
            amplitude: channel[0] === 'r' ? on.angle : channel[0] === 't' ? on.length : on.scale,
            frequency: on.frequency,
            ...(loops && { period: (ends[1] - ends[0]) / project.fps }),
          },
          count,
          1 / project.fps,
        ).map((value) => value + nothing);
        // The end of a cycle is its start, whatever part of a frame it is long.
        if (loops) values[count - 1] = values[0];
        const keys = keysOfSamples(frames, values, on.everyFrame ? 0 : Number.POSITIVE_INFINITY);
        own[channel] = {
          keys: loops ? [...keys.slice(0, -1), { ...keys[keys.length - 1], frame: ends[1] }] : keys,
        };
      }
      channels[joint] = own;
    }
    const cycle = [time.start, time.start + time.length] as const;
    return {
      ...layer,
      content: keyed(channels, targetsOf(layer)),
      ...(loops && { time: { ...layer.time!, cycle } }),
    };
  });
}

/** Poses that the layers below one show, at every frame of the range. */
export function posesBelow(
  project: Project,
  index: number,
  range: readonly [number, number] = project.range,
): PosesOverTime {
  const { rig } = project;
  const n = rig.joints.length;
  const count = Math.max(1, Math.floor(range[1] - range[0] + 1e-6) + 1);
  const stack = compileStack(project);
  const rotations = new Float64Array(4 * n * count);
  const translations = new Float64Array(3 * n * count);
  const pose = restPose(rig);
  const rest = restPose(rig);
  for (let k = 0; k < count; k++) {
    copyPose(pose, rest);
    applyLayers(stack, range[0] + k, 0, index, pose);
    rotations.set(pose.rotations, 4 * n * k);
    translations.set(pose.translations, 3 * n * k);
  }
  return { interval: 1 / project.fps, count, rotations, translations };
}

/** How chains follow, and the layer that holds it. */
export interface FollowOn extends Omit<Follow, 'chain'> {
  readonly chains: readonly (readonly number[])[];
  /** The most frames between two keys; 0 for a key at every frame. */
  readonly gap: number;
}

/**
 * Writes what chains do when they follow their tops as keys of an override layer, in place of the keys that it has for
 * their joints. `below` are the poses that the layers under it show over the range.
 */
export function putFollow(
  project: Project,
  id: string,
  { chains, gap, ...how }: FollowOn,
  below: PosesOverTime = posesBelow(project, layerIndex(project, id)),
): Project {
  const { rig, range } = project;
  const layer = layerById(project, id);
  if (!layer || !takesKeys(layer)) return project;
  const frames = Float64Array.from({ length: below.count }, (_, k) => range[0] + k);
  const channels = emptyRecord<JointChannels>(channelsOf(layer));
  const values = [0, 1, 2].map(() => new Float64Array(below.count));
  const angles = new Float64Array(3);
  const last = new Float64Array(3);
  for (const chain of chains) {
    const followers = chain.slice(1);
    const turned = followChain(rig, { ...how, chain }, below);
    for (const [k, j] of followers.entries()) {
      const { order, name } = rig.joints[j];
      for (let sample = 0; sample < below.count; sample++) {
        quaternionToEuler(angles, 0, order, turned, 4 * (followers.length * sample + k));
        if (sample > 0) unwindEuler(angles, 0, order, last, 0);
        last.set(angles);
        for (let axis = 0; axis < 3; axis++) values[axis][sample] = angles[axis] * DEGREES;
      }
      const [rx, ry, rz] = values.map((list): Curve => ({ keys: keysOfSamples(frames, list, gap) }));
      channels[name] = { ...entryOf(channels, name), rx, ry, rz };
    }
  }
  return changeLayer(project, id, (one) => withChannels(one, channels as Channels));
}

/** Adds an empty override layer for chains that follow, above all others: their joints alone may be keyed on it. */
export function addFollowLayer(
  project: Project,
  chains: readonly (readonly number[])[],
): { project: Project; id: string } {
  const names = chains.flatMap((chain) => chain.slice(1).map((j) => project.rig.joints[j].name));
  const layer = newLayer(freeName(project, 'Follow', true), 'override', {
    color: freeColor(project),
    allows: Object.fromEntries(names.map((name) => [name, ['rx', 'ry', 'rz'] as const])),
  });
  return { project: { ...project, layers: [...project.layers, layer] }, id: layer.id };
}
