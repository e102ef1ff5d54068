import { FRAME_TOLERANCE } from '../curve/curve.js';
import type { Numbers } from '../math/numbers.js';
import type { Rig } from '../rig/rig.js';
import { type Take, takeDuration } from '../take/take.js';
import type { Channel } from './content.js';
import { keyFrames, type Layer, type LayerTime, type Loop } from './layer.js';
import type { TargetAxis } from './target.js';

/** Frames of a cycle below which it is taken as having no length: it would come round within the tolerance of a frame. */
export const SHORTEST_CYCLE = 0.001;

/** Layer time that changes nothing. */
export const PLAIN_TIME: LayerTime = { offset: 0, speed: 1, loop: 'none' };

/** A layer's time with its cycle worked out: from own frame `start`, `length` frames long; 0 where nothing loops. */
export interface OwnTime {
  readonly offset: number;
  readonly speed: number;
  readonly loop: Loop;
  readonly start: number;
  readonly length: number;
  /** Whether own frames are the project's. */
  readonly plain: boolean;
}

/** The project's own time. */
export const STILL_TIME: OwnTime = { ...PLAIN_TIME, start: 0, length: 0, plain: true };

/**
 * Works out the time of a layer. Without a given cycle it is all of the content: from the first to the last key,
 * or the samples of the layer's `take`.
 */
export function ownTime(layer: Layer, take: Take | undefined, fps: number): OwnTime {
  const { offset, speed, loop, cycle } = layer.time ?? PLAIN_TIME;
  const [start, end] = loop === 'none' ? [0, 0] : (cycle ?? contentRange(layer, take, fps));
  const length = end - start;
  const loops = length >= SHORTEST_CYCLE ? loop : 'none';
  const plain = offset === 0 && speed === 1 && loops === 'none';
  return { offset, speed, loop: loops, start, length: loops === 'none' ? 0 : length, plain };
}

/** First and last own frame of a layer's content. */
export function contentRange(layer: Layer, take: Take | undefined, fps: number): readonly [number, number] {
  if (take) return [0, takeDuration(take) * fps];
  const frames = keyFrames(layer);
  return frames.length > 0 ? [frames[0], frames[frames.length - 1]] : [0, 0];
}

/**
 * Writes the own frame at which a layer's content is read for the project frame `frames[f]`, and how often its cycle
 * has come round by then (negative before it, 0 without a loop), to `out[o]` and `out[o + 1]`.
 */
export function readOwnFrame(time: OwnTime, frames: Numbers, f: number, out: Numbers, o: number): void {
  if (time.plain) {
    out[o] = frames[f];
    out[o + 1] = 0;
    return;
  }
  const own = (frames[f] - time.offset) * time.speed;
  if (time.loop === 'none') {
    out[o] = own;
    out[o + 1] = 0;
    return;
  }
  const rounds = Math.floor((own - time.start + FRAME_TOLERANCE) / time.length);
  // On the seam up to rounding is on the seam.
  out[o] = Math.max(time.start, own - rounds * time.length);
  out[o + 1] = rounds;
}

/** Whether a channel of a joint goes on from where it came to in a loop that travels: where what stands in the scene by itself is. */
export const travelsOn = (rig: Rig, joint: string, channel: Channel | TargetAxis): boolean =>
  channel[0] === 't' && rig.joints.some(({ name, parent }) => parent < 0 && name === joint);

const single = new Float64Array(3);

/** The layer's own frame at which its content is read for a project frame. */
export function ownFrame(time: OwnTime, frame: number): number {
  single[0] = frame;
  readOwnFrame(time, single, 0, single, 1);
  return single[1];
}

/** How often the cycle of a layer has come round at a project frame. */
export function roundsAt(time: OwnTime, frame: number): number {
  single[0] = frame;
  readOwnFrame(time, single, 0, single, 1);
  return single[2];
}

/** Where a key of a layer's content shows on the project's time: the own frame it stands on, and in which round of the loop (0 is the content itself). */
export interface KeyMark {
  readonly own: number;
  readonly frame: number;
  readonly round: number;
}

/** More marks than this in sight are not told apart any more: then each key shows once. */
const MOST_MARKS = 1000;

/**
 * Where keys at own frames, ascending, show between two project frames: once, or in a loop once for every round, as
 * far as they lie in its cycle.
 */
export function keyMarks(
  time: OwnTime,
  owns: readonly number[],
  from: number,
  to: number,
): readonly KeyMark[] {
  const { speed, offset, loop, start, length } = time;
  if (speed === 0) return [];
  const mark = (own: number, round: number): KeyMark => ({
    own,
    round,
    frame: offset + (own + round * length) / speed,
  });
  if (loop === 'none') return owns.map((own) => mark(own, 0)).sort((a, b) => a.frame - b.frame);
  const end = start + length;
  const used = owns.filter((own) => own >= start - FRAME_TOLERANCE && own <= end + FRAME_TOLERANCE);
  const rounds = [from, to].map((frame) => ((frame - offset) * speed - start) / length);
  const first = Math.floor(Math.min(...rounds));
  const last = Math.floor(Math.max(...rounds));
  if (!((last - first + 1) * used.length <= MOST_MARKS)) return used.map((own) => mark(own, 0));
  const marks: KeyMark[] = [];
  for (let round = first; round <= last; round++) marks.push(...used.map((own) => mark(own, round)));
  return marks.filter(({ frame }) => frame >= from && frame <= to).sort((a, b) => a.frame - b.frame);
}
