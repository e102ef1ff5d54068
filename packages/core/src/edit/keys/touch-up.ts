import { keyedSpans } from '../../check/stances.js';
import { type Curve, type Key, keyAt, mergedKeys, newKey } from '../../curve/curve.js';
import { curveAt } from '../../curve/evaluate.js';
import type { CurveAddress } from '../../layer/address.js';
import { CHANNELS, type Channel, channelsOf, isKeyed, takeOf, takesKeys } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { ownFrame } from '../../layer/time.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { emptyRecord, entryOf } from '../../record.js';
import { isFace, memberIndex, memberName } from '../../rig/members.js';
import {
  mirrorOf,
  mirrorSceneTurn,
  mirrorSceneWay,
  mirrorTurn,
  mirrorWay,
  partnerOf,
} from '../../rig/mirror.js';
import { jointIndex } from '../../rig/rig.js';
import type { ChannelValues } from '../../solve/solve.js';
import { timeOf, type Written, writeScalars } from './curves.js';
import type { PoseValues } from './keys.js';
import { nothingOf } from './pose-values.js';

/** A correction of a pose at one frame that fades away on both sides, on an additive layer. */
export interface TouchUp {
  readonly layer: string;
  readonly frame: number;
  /** Frames over which it comes, for which it stays behind its frame (none where missing), and over which it goes. */
  readonly before: number;
  readonly hold?: number;
  readonly after: number;
  /** By how much each channel changes at the frame. */
  readonly changes: PoseValues;
}

/** What a layer holds more, channel by channel, than it did. */
export function changesTo(project: Project, id: string, frame: number, values: PoseValues): PoseValues {
  const layer = layerById(project, id);
  const changes = emptyRecord<ChannelValues>();
  if (!layer) return changes;
  const time = timeOf(project, layer, channelAddress(layer, '', 'rx'));
  const own = ownFrame(time, frame);
  for (const [joint, channels] of Object.entries(values)) {
    changes[joint] = {};
    for (const channel of CHANNELS) {
      const value = channels[channel];
      if (value === undefined) continue;
      const curve = entryOf(channelsOf(layer), joint)?.[channel];
      changes[joint][channel] = value - (curve ? curveAt(curve, own) : nothingOf(channel));
    }
  }
  return changes;
}

const channelAddress = (layer: Layer, joint: string, channel: Channel): CurveAddress => ({
  kind: 'channel',
  layer: layer.id,
  joint,
  channel,
});

/**
 * Keys a touch-up: the change in full at its frame and while it holds, none at its ends, where the layer keeps what it holds there. Keys
 * between take part, less the farther they are, so that what was there is carried along.
 */
export function touchUp(
  project: Project,
  { layer: id, frame, before, hold = 0, after, changes }: TouchUp,
): Project {
  const layer = layerById(project, id);
  if (!layer || !takesKeys(layer)) return project;
  const entries: Written[] = [];
  for (const [joint, channels] of Object.entries(changes)) {
    for (const channel of CHANNELS) {
      const change = channels[channel];
      if (change === undefined || change === 0) continue;
      const address = channelAddress(layer, joint, channel);
      const time = timeOf(project, layer, address);
      const own = ownFrame(time, frame);
      const speed = Math.abs(time.speed) || 1;
      const backwards = time.speed < 0;
      const reach = backwards ? [after * speed, before * speed] : [before * speed, after * speed];
      const full = backwards ? [own - hold * speed, own] : [own, own + hold * speed];
      const curve = entryOf(channelsOf(layer), joint)?.[channel];
      entries.push([address, raised(curve, nothingOf(channel), full, reach, change)]);
    }
  }
  return writeScalars(project, entries);
}

/** Whether a touch-up is there: it has a key at its frame, which undo may have taken away. */
export function hasTouchUp(project: Project, { layer: id, frame, changes }: TouchUp): boolean {
  const layer = layerById(project, id);
  return Object.entries(changes).some(([joint, channels]) =>
    CHANNELS.some((channel) => {
      const curve = layer && channels[channel] ? entryOf(channelsOf(layer), joint)?.[channel] : undefined;
      const time = layer && timeOf(project, layer, channelAddress(layer, joint, channel));
      return curve !== undefined && time !== undefined && keyAt(curve, ownFrame(time, frame)) !== undefined;
    }),
  );
}

/** A curve that is raised by `change` over a stretch and by less beside it, by nothing `reach` frames before and after. */
function raised(
  curve: Curve | undefined,
  nothing: number,
  [from, to]: readonly number[],
  [before, after]: readonly number[],
  change: number,
): Curve {
  const valueAt = (frame: number) => (curve ? curveAt(curve, frame) : nothing);
  const pinned = [...new Set([from - before, from, to, to + after])].map((frame): Key => {
    const there = curve && keyAt(curve, frame);
    return there ?? newKey(frame, valueAt(frame));
  });
  const keys = mergedKeys(curve?.keys ?? [], pinned).map((key): Key => {
    const within = key.frame >= from && key.frame <= to;
    const u = key.frame < from ? (from - key.frame) / before : (key.frame - to) / after;
    if (!within && !(u < 1)) return key;
    const w = within ? 1 : 1 - u * u * (3 - 2 * u);
    return { ...key, value: key.value + w * change };
  });
  return { keys };
}

/** The changes of a touch-up on the other side of the character; of joints without a partner nothing is left. */
export function mirroredChanges(project: Project, layer: Layer, changes: PoseValues): PoseValues {
  const { rig } = project;
  const { partners } = mirrorOf(rig);
  const out = emptyRecord<ChannelValues>();
  for (const [name, values] of Object.entries(changes)) {
    const j = memberIndex(rig, name);
    const partner = j < 0 ? -1 : partnerOf(rig, j);
    if (partner < 0) continue;
    if (isFace(rig, j)) {
      out[memberName(rig, partner)] = values;
      continue;
    }
    const other = rig.joints[partners[j]];
    const inJoint = layer.axes === 'joint';
    const angles = (['rx', 'ry', 'rz'] as const).map((channel) => (values[channel] ?? 0) * RADIANS);
    const turn = [0, 0, 0, 1];
    eulerToQuaternion(turn, 0, rig.joints[j].order, angles, 0);
    const shown = inJoint ? mirrorTurn(rig, j, turn) : mirrorSceneTurn(rig, j, turn);
    quaternionToEuler(angles, 0, other.order, shown, 0);
    const way = (['tx', 'ty', 'tz'] as const).map((channel) => values[channel] ?? 0);
    const moved = inJoint ? mirrorWay(rig, j, way) : mirrorSceneWay(rig, j, way);
    const has = (kind: string) =>
      CHANNELS.some((channel) => channel[0] === kind && values[channel] !== undefined);
    const mirrored: ChannelValues = {};
    for (const [axis, letter] of (['x', 'y', 'z'] as const).entries()) {
      if (has('r')) mirrored[`r${letter}`] = angles[axis] * DEGREES;
      if (has('t')) mirrored[`t${letter}`] = moved[axis];
      const scale = values[`s${letter}`];
      if (scale !== undefined) mirrored[`s${letter}`] = scale;
    }
    out[other.name] = mirrored;
  }
  return out;
}

/** Frames of the project over which a foot stands, from the contacts of the take that the base plays, or by its keys. */
export interface Stance {
  readonly joint: string;
  readonly from: number;
  readonly to: number;
}

/** When feet stand within the range of the project, in order. Of a base that loops every round counts. */
export function stancesOf(project: Project): Stance[] {
  const [base] = project.layers;
  const take = project.takes.find(({ id }) => id === takeOf(base)?.take);
  if (!take && isKeyed(base))
    return [...keyedSpans(project, base)]
      .flatMap(([{ chain }, spans]) =>
        spans.map(([from, to]) => ({ joint: project.rig.joints[chain[chain.length - 1]].name, from, to })),
      )
      .sort((a, b) => a.from - b.from);
  if (!take?.contacts) return [];
  const time = timeOf(project, base, channelAddress(base, '', 'rx'));
  if (time.speed === 0) return [];
  const perSample = take.interval * project.fps;
  const [first, last] = project.range;
  const frameOf = (sample: number, round: number) =>
    time.offset + (sample * perSample + round * time.length) / time.speed;
  const rounds =
    time.loop === 'none'
      ? [0]
      : [first, last].map((frame) =>
          Math.floor(((frame - time.offset) * time.speed - time.start) / time.length),
        );
  const found: Stance[] = [];
  for (let round = Math.min(...rounds); round <= Math.max(...rounds); round++)
    for (const { joint, from, to } of take.contacts.spans) {
      const ends = [frameOf(from, round), frameOf(to, round)].sort((a, b) => a - b);
      if (ends[1] >= first && ends[0] <= last) found.push({ joint, from: ends[0], to: ends[1] });
    }
  return found.sort((a, b) => a.from - b.from);
}

/**
 * Frames at which a touch-up is repeated: as long after each other stance of its foot begins as it is after its own.
 * Its foot is the one below the joints that it changes, or else the one whose stance began last before it. With
 * `mirrored` they are counted from the stances of the other foot.
 */
export function contactFrames(project: Project, { frame, changes }: TouchUp, mirrored: boolean): number[] {
  const { rig } = project;
  const stances = stancesOf(project);
  const changed = Object.keys(changes).map((name) => jointIndex(rig, name));
  const ofLeg = stances.filter(({ joint }) => {
    const foot = jointIndex(rig, joint);
    return changed.some((j) => j === foot || isAbove(project, j, foot));
  });
  const near = (list: readonly Stance[]) => list.findLast(({ from }) => from <= frame + 0.5) ?? list[0];
  const own = near(ofLeg) ?? near(stances);
  if (!own) return [];
  const foot = jointIndex(rig, own.joint);
  const partner = mirrorOf(rig).partners[foot];
  const wanted = mirrored ? rig.joints[partner]?.name : own.joint;
  const [first, last] = project.range;
  return stances
    .filter((stance) => stance.joint === wanted && (mirrored || stance !== own))
    .map(({ from }) => Math.round(from + frame - own.from))
    .filter((at) => at >= first && at <= last && at !== frame);
}

/** Whether a joint is above another one in a leg, and not above both legs. */
function isAbove({ rig }: Project, j: number, foot: number): boolean {
  const { partners } = mirrorOf(rig);
  for (let at = foot; at >= 0; at = rig.joints[at].parent) {
    if (partners[at] === at) return false;
    if (at === j) return true;
  }
  return false;
}

/** Frames within the range that lie whole periods away from a frame. */
export function cycleFrames({ range: [first, last] }: Project, frame: number, period: number): number[] {
  if (!(period >= 1)) return [];
  const frames: number[] = [];
  for (let at = frame - Math.floor((frame - first) / period) * period; at <= last; at += period)
    if (Math.abs(at - frame) > 1e-6) frames.push(Math.round(at));
  return frames;
}
