import { type Curve, FRAME_TOLERANCE, type Key, mergedKeys } from '../../curve/curve.js';
import { scaledValues } from '../../curve/tidy.js';
import {
  CHANNELS,
  type Channel,
  channelsOf,
  type JointChannels,
  keyed,
  targetsOf,
} from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { type OwnTime, ownTime } from '../../layer/time.js';
import { emptyRecord, entryOf } from '../../record.js';
import { changeLayer } from '../change.js';
import { nothingOf } from './pose-values.js';

/** How the keys of joints are slid one after another. */
export interface Overlap {
  /** Names of joints in the order in which they follow each other; the first one stays, those without keys are left out. */
  readonly joints: readonly string[];
  /** Frames of the project by which each is later than the one before; part frames and negative ones too. */
  readonly frames: number;
  /** How much larger or smaller the values of each are than those of the one before: 1 leaves them. */
  readonly growth: number;
}

/**
 * Slides the keys of joints later one after another. In a loop they go round: what is slid past the end of the cycle
 * comes in at its start. Values are scaled about what leaves the pose as it is, on an override layer about the mean of
 * the curve.
 */
export function overlap(project: Project, id: string, { joints, frames, growth }: Overlap): Project {
  return changeLayer(project, id, (layer) => {
    if (layer.content.kind !== 'curves' || (frames === 0 && growth === 1)) return layer;
    const time = ownTime(layer, undefined, project.fps);
    const channels = emptyRecord<JointChannels>(channelsOf(layer));
    const keyedOnes = joints.filter((joint) => entryOf(channelsOf(layer), joint));
    for (const [order, joint] of keyedOnes.entries()) {
      const own = entryOf(channelsOf(layer), joint);
      if (!own || order === 0) continue;
      const by = order * frames * time.speed;
      const moved: { [C in Channel]?: Curve } = {};
      for (const channel of CHANNELS) {
        const curve = own[channel];
        if (curve) moved[channel] = grown(slid(curve, by, time), growth ** order, layer, channel);
      }
      channels[joint] = moved;
    }
    // The cycle is that of the keys as they stood.
    const cycle = [time.start, time.start + time.length] as const;
    return {
      ...layer,
      content: keyed(channels, targetsOf(layer)),
      ...(time.loop !== 'none' && { time: { ...layer.time!, cycle } }),
    };
  });
}

/** A curve later by `by` own frames; in a loop its keys go round the cycle. */
export function slid(curve: Curve, by: number, { loop, start, length }: OwnTime): Curve {
  if (by === 0) return curve;
  if (loop === 'none') return { keys: curve.keys.map((key) => ({ ...key, frame: key.frame + by })) };
  const end = start + length;
  const inside = curve.keys.filter(
    (key) => key.frame >= start - FRAME_TOLERANCE && key.frame <= end + FRAME_TOLERANCE,
  );
  const last = inside.at(-1);
  const closes = inside.length > 1 && Math.abs(last!.frame - inside[0].frame - length) <= 2 * FRAME_TOLERANCE;
  const used = inside.map((key, k): Key => {
    // The key at the end is the one at the start: its handle towards it goes along.
    const into = closes && k === 0 ? last!.in : key.in;
    const { in: _, ...plain } = key;
    const round = Math.floor((key.frame + by - start + FRAME_TOLERANCE) / length);
    return { ...plain, ...(into && { in: into }), frame: key.frame + by - round * length };
  });
  if (closes) used.pop();
  return {
    keys: mergedKeys(
      [],
      used.sort((a, b) => a.frame - b.frame),
    ),
  };
}

function grown(curve: Curve, factor: number, { mode }: Layer, channel: Channel): Curve {
  const mean = curve.keys.reduce((sum, key) => sum + key.value, 0) / curve.keys.length;
  return scaledValues(curve, () => true, factor, mode === 'additive' ? nothingOf(channel) : mean);
}

/** Joints in the order in which they hang on one another, those nearer to the root first; else as they were given. */
export function downTheChain({ rig }: Project, joints: readonly number[]): number[] {
  const depth = (j: number): number => (j < 0 ? 0 : 1 + depth(rig.joints[j].parent));
  return joints
    .map((j, order) => ({ j, order, depth: depth(j) }))
    .sort((a, b) => a.depth - b.depth || a.order - b.order)
    .map(({ j }) => j);
}
