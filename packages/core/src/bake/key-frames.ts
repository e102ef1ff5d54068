import { isCurve, newKey } from '../curve/curve.js';
import { compileStack } from '../evaluate/compile.js';
import type { Steps } from '../job/steps.js';
import { channelsOfKind, type KeyedChannels } from '../keys/layer-keys.js';
import { neededTracks, tracksOf } from '../keys/tracks.js';
import { addressesOf, curveAtAddress, timeOfAddress } from '../layer/address.js';
import { takeOf } from '../layer/content.js';
import { groupOf, isLive } from '../layer/group.js';
import type { Project } from '../layer/project.js';
import { keyMarks } from '../layer/time.js';
import { DEGREES } from '../math/euler.js';
import { emptyRecord } from '../record.js';
import { memberName } from '../rig/members.js';
import { sampleBlocks } from './bake.js';
import { newSamples } from './plan.js';
import type { Shaping } from './to-file.js';

/** Frames that lie closer than this are one. */
const SAME = 1e-6;

/** Numbers ascending, each once. */
function distinct(frames: readonly number[]): number[] {
  const sorted = [...frames].sort((a, b) => a - b);
  return sorted.filter((frame, k) => k === 0 || frame - sorted[k - 1] > SAME);
}

/** Every `n`-th frame of a range from its first one on, and its last. */
export function everyNth([first, last]: readonly [number, number], n: number): number[] {
  const count = Math.floor((last - first) / n + SAME) + 1;
  return distinct([...Array.from({ length: count }, (_, k) => first + k * n), last]);
}

/** The frames of a range on which a layer that plays has keys, of whatever kind; its first and last frame are among them. */
export function framesWithKeys(
  { layers, groups, takes, parts, fps }: Project,
  [first, last]: readonly [number, number],
): number[] {
  const found = [first, last];
  const add = (frame: number) => {
    if (frame > first && frame < last) found.push(frame);
  };
  for (const [index, layer] of layers.entries()) {
    if (!isLive(layers, groups, index)) continue;
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    for (const address of addressesOf(layer, parts)) {
      const owns = curveAtAddress(layer, address)?.keys.map(({ frame }) => frame) ?? [];
      for (const mark of keyMarks(timeOfAddress(layer, address, take, fps), owns, first, last))
        add(mark.frame);
    }
    const weight = groupOf(groups, layer)?.weight;
    if (weight !== undefined && isCurve(weight)) for (const { frame } of weight.keys) add(frame);
  }
  return distinct(found);
}

/** What a layer that holds a motion on some frames alone is to be like. */
export interface KeyFrames {
  /** Ascending, each once. */
  readonly frames: readonly number[];
  /** Joints and face channels that get keys, by their index among the members of the rig; all where missing. */
  readonly joints?: ReadonlySet<number>;
  /** Changes the motion before. */
  readonly shape?: Shaping;
}

/**
 * What is seen on some frames as curves with a key on each of them, `smooth` between. Angles run on from frame to frame: the
 * whole frames between are looked at too, so that no turn is lost. Gives way after each block. Throws `BakeError`.
 */
export function* keysOnFrames(
  project: Project,
  { frames, joints, shape = (part) => part }: KeyFrames,
): Steps<KeyedChannels> {
  const { rig } = project;
  const [first, last] = [frames[0], frames[frames.length - 1]];
  const seen = distinct([
    ...frames,
    ...everyNth([Math.ceil(first), Math.max(Math.ceil(first), Math.floor(last))], 1),
  ]);
  const motion = newSamples(rig, seen.length, project.fps);
  for (const done of sampleBlocks(compileStack(project), (k) => seen[k], motion)) yield done / seen.length;
  const samples = shape(motion);
  const wanted = new Set(frames);
  const rows = seen.flatMap((frame, k) => (wanted.has(frame) ? k : []));
  const names = neededTracks(rig, samples).filter(({ member }) => joints?.has(member) ?? true);
  const channels = emptyRecord<KeyedChannels[string]>();
  for (const { member, kind, size, values } of tracksOf(rig, samples, 'euler', names)) {
    const scale = kind === 'rotations' ? DEGREES : 1;
    const curves = channelsOfKind(kind).map((channel, c) => [
      channel,
      { keys: rows.map((k) => newKey(seen[k], values[size * k + c] * scale)) },
    ]);
    const name = memberName(rig, member);
    channels[name] = { ...channels[name], ...Object.fromEntries(curves) };
  }
  return channels;
}
