import { BakeError } from '../bake-error.js';
import { Cancelled, type JobOptions } from '../job/job.js';
import type { Rig } from '../rig/rig.js';
import { motionOn, trimmed } from '../take/reshape.js';
import type { Samples } from '../take/take.js';
import { watchedStretches } from './error-over-time.js';
import type { FittedTracks } from './fit-tracks.js';
import { addSpline, type JoinedSpline, newJoinedSpline, splineOf } from './joined-spline.js';
import { blocksOf, type KeysBlock, type KeysMaker, keysOfBlock } from './keys-block.js';
import type { KeyedTrack, KeysWanted, MotionKeys } from './motion-keys.js';
import type { Spline } from './spline.js';
import type { WantedKey } from './track-fit.js';
import {
  neededTracks,
  restOf,
  type Seams,
  TRACK_KINDS,
  type TrackName,
  tracksOf,
  tracksOfRig,
} from './tracks.js';
import { laterBy, type MotionError, worseOf } from './whole-pose.js';

/** Where the samples of a motion come from, which need not be in memory as a whole. */
export interface KeysSource {
  /** How many there are, and seconds from one to the next. */
  readonly count: number;
  readonly interval: number;
  /**
   * Bring samples `from` to `to` (not included) of every joint, here or on other threads. They are asked for one part after the
   * other, each sample once, the next before the last is there.
   */
  readonly bring: readonly ((from: number, to: number) => Promise<Samples>)[];
  /** Changes the samples, which come part after part, the first one first. */
  readonly shape?: (part: Samples) => Samples;
}

export interface KeysJob extends JobOptions {
  readonly makers?: readonly KeysMaker[];
}

/** In this thread; other work runs between blocks. */
const here: KeysMaker = async (block) => {
  await new Promise((resolve) => setTimeout(resolve));
  return keysOfBlock(block);
};

/** Blocks that a maker has before it, so that it never waits for the next. */
const AHEAD = 2;

/** Keys that memory holds: each takes some hundred bytes until it is written. */
const MOST_KEYS = 10_000_000;

/**
 * Finds few keys for a motion (`docs/evaluation.md`, *Keys from samples*) in blocks that several makers share, with a key at
 * every seam. No more samples are in memory than those of the blocks under way; what grows with the motion are its keys. Throws
 * {@link Cancelled} when the signal is aborted, and {@link BakeError} where there are more keys than there may be.
 */
export async function findKeys(
  rig: Rig,
  source: KeysSource,
  wanted: KeysWanted,
  { makers = [here], onProgress, signal }: KeysJob = {},
): Promise<MotionKeys> {
  const blocks = blocksOf(source.count, rig.joints.length);
  const cut = cutter(rig, source, wanted);
  const joint = joiner(rig, source, wanted, blocks);
  let next = 0;
  let done = 0;
  let before = Promise.resolve();
  let stopped = false;
  const work = async (make: KeysMaker, bring: KeysSource['bring'][number]) => {
    while (next < blocks.length) {
      if (signal?.aborted) throw new Cancelled();
      const index = next++;
      const [from, to] = blocks[index];
      const earlier = before;
      let passed = () => {};
      before = new Promise((resolve) => {
        passed = resolve;
      });
      let block: KeysBlock;
      try {
        // The sample at the seam is there already.
        const part = await bring(index === 0 ? from : from + 1, to + 1);
        await earlier;
        if (stopped) return;
        block = cut(part, from, to);
      } finally {
        passed();
      }
      joint.take(index, block.tracks, await make(block));
      onProgress?.(++done / blocks.length);
    }
  };
  onProgress?.(0);
  try {
    const each = Math.max(makers.length, source.bring.length);
    await Promise.all(
      Array.from({ length: AHEAD * each }, (_, k) =>
        work(makers[k % makers.length], source.bring[k % source.bring.length]),
      ),
    );
  } finally {
    // When one fails the others begin no further block.
    next = blocks.length;
    stopped = true;
  }
  if (signal?.aborted) throw new Cancelled();
  return joint.keys();
}

/** Makes blocks of parts that follow one another: each begins with the sample with which the one before it ended. */
function cutter(
  rig: Rig,
  { shape = (part) => part }: KeysSource,
  wanted: KeysWanted,
): (part: Samples, from: number, to: number) => KeysBlock {
  const { space, tracks, members, below, straight = false, stretches = 0 } = wanted;
  const { length, angle, number } = wanted;
  const keys = [...(wanted.wanted ?? [])].sort((a, b) => a.sample - b.sample);
  let passed = 0;
  /** The keys that are wanted from one sample to another, which both belong to it; what lies before is gone through once. */
  const keysIn = (from: number, to: number): WantedKey[] => {
    while (passed < keys.length && keys[passed].sample < from) passed++;
    const own: WantedKey[] = [];
    for (let k = passed; k < keys.length && keys[k].sample <= to; k++)
      own.push({ ...keys[k], sample: keys[k].sample - from });
    return own;
  };
  const seams: Seams = new Map();
  let last: Samples | undefined;
  return (part, from, to) => {
    const shaped = shape(part);
    const samples = last ? behind(last, shaped) : shaped;
    last = trimmed(motionOn(rig, samples), [to - from, to - from]);
    const under = below && trimmed(motionOn(rig, below), [from, to]);
    const names = (tracks ?? neededTracks(rig, samples)).filter(({ member }) => members?.has(member) ?? true);
    return {
      rig,
      samples,
      tracks: tracksOf(rig, samples, space, names, under, seams),
      limits: { length, angle, number },
      straight,
      wanted: keysIn(from, to),
      watched: stretches > 0,
    };
  };
}

/** Samples, and others that follow them. */
function behind(before: Samples, part: Samples): Samples {
  const kinds = TRACK_KINDS.map((kind) => {
    const { joints, size, values } = part[kind];
    const all = new Float64Array(before[kind].values.length + values.length);
    all.set(before[kind].values);
    all.set(values, before[kind].values.length);
    return { joints, size, values: all };
  });
  const [translations, rotations, scales, faces] = kinds;
  return {
    count: before.count + part.count,
    interval: part.interval,
    translations,
    rotations,
    scales,
    faces,
  };
}

/** Joins what was found of blocks, which come in any order. */
function joiner(
  rig: Rig,
  { count, interval }: KeysSource,
  { space, tracks: names, stretches = 0, straight = false, most = MOST_KEYS }: KeysWanted,
  blocks: readonly (readonly [number, number])[],
) {
  const every = names ?? tracksOfRig(rig);
  const splines = new Map<string, JoinedSpline>();
  const waiting = new Map<number, ReadonlyMap<string, Spline>>();
  const over = stretches > 0 ? watchedStretches(rig, count, stretches) : undefined;
  let error: MotionError | undefined;
  let joined = 0;
  let kept = 0;
  const nameOf = ({ member, kind }: TrackName) => `${kind} ${member}`;
  /** What a track that a block does not need holds there. */
  const resting = (track: TrackName): Spline => {
    const values = Float64Array.from(restOf(rig, track));
    const none = new Float64Array(values.length);
    return { size: values.length, straight, knots: Int32Array.of(0), values, into: none, out: none };
  };
  const put = (track: TrackName, index: number, found: ReadonlyMap<string, Spline>) => {
    const name = nameOf(track);
    const spline = found.get(name);
    let all = splines.get(name);
    if (!all) {
      if (!spline) return;
      all = newJoinedSpline();
      splines.set(name, all);
      for (const [from, to] of blocks.slice(0, index)) addSpline(all, resting(track), from, to);
    }
    addSpline(all, spline ?? resting(track), ...blocks[index]);
  };
  return {
    take(index: number, tracks: readonly TrackName[], found: FittedTracks): void {
      waiting.set(index, new Map(tracks.map((track, t) => [nameOf(track), found.splines[t]])));
      const own = laterBy(found.error, blocks[index][0]);
      error = error ? worseOf(error, own) : own;
      if (found.lengths) over?.add(found.lengths, blocks[index][0]);
      kept += found.splines.reduce((sum, { knots }) => sum + knots.length, 0);
      if (kept > most)
        throw new BakeError(
          `within these limits there are more than ${most.toLocaleString('en-GB')} keys in ${blocks[index][1].toLocaleString('en-GB')} of ${count.toLocaleString('en-GB')} samples, and there may be no more: expected wider limits or a shorter range`,
        );
      for (let own = waiting.get(joined); own; own = waiting.get(joined)) {
        for (const track of every) put(track, joined, own);
        waiting.delete(joined++);
      }
    },
    keys(): MotionKeys {
      const tracks = every.flatMap((track): KeyedTrack[] => {
        const own = splines.get(nameOf(track));
        // Its room is let go of before that of the next is copied.
        splines.delete(nameOf(track));
        return own ? [{ member: track.member, kind: track.kind, spline: splineOf(own) }] : [];
      });
      return {
        tracks,
        space,
        count,
        interval,
        before: count * tracks.length,
        after: tracks.reduce((sum, { spline }) => sum + spline.knots.length, 0),
        error: error!,
        ...(over && { over: over.found }),
      };
    },
  };
}
