import { Cancelled, type JobOptions } from '../job/job.js';
import type { Rig } from '../rig/rig.js';
import { motionOn, trimmed } from '../take/reshape.js';
import type { Samples } from '../take/take.js';
import { type FittedTracks, fitTracks, type KeyLimits } from './fit-tracks.js';
import type { Spline } from './spline.js';
import type { WantedKey } from './track-fit.js';
import {
  type KeyTrack,
  neededTracks,
  partOfTrack,
  type TrackName,
  type TurnSpace,
  tracksOf,
} from './tracks.js';
import { type MotionError, placesOf } from './whole-pose.js';

/** The keys of a track: a spline over the samples, counted from 0. */
export interface KeyedTrack extends TrackName {
  readonly spline: Spline;
}

/** A motion as keys. A key is one joint's rotation, translation or scale, or a face channel, at one time. */
export interface MotionKeys {
  readonly tracks: readonly KeyedTrack[];
  readonly space: TurnSpace;
  /** Samples that it was made of, and seconds from one to the next. */
  readonly count: number;
  readonly interval: number;
  /** Keys that a key at every sample would be, and that there are. */
  readonly before: number;
  readonly after: number;
  readonly error: MotionError;
}

/** What keys are to be like. */
export interface KeysWanted extends KeyLimits {
  readonly space: TurnSpace;
  /** What is keyed; missing, what the motion needs. */
  readonly tracks?: readonly TrackName[];
  readonly wanted?: readonly WantedKey[];
  /** Where the keys are to be changes, what they change. */
  readonly below?: Samples;
  /** Whether keys are to be joined straight, for those who read no curves. */
  readonly straight?: boolean;
}

/** A stretch of the work, which is done on its own: everything that another thread needs. */
export interface KeysBlock {
  readonly rig: Rig;
  readonly samples: Samples;
  readonly tracks: readonly KeyTrack[];
  readonly limits: KeyLimits;
  readonly wanted: readonly WantedKey[];
  readonly straight: boolean;
}

/** Finds the keys of a block, here or on another thread. */
export type KeysMaker = (block: KeysBlock) => Promise<FittedTracks>;

export const keysOfBlock = ({ rig, samples, tracks, limits, wanted, straight }: KeysBlock): FittedTracks =>
  fitTracks(rig, samples, placesOf(rig, samples), tracks, limits, wanted, straight);

/** In this thread; other work runs between blocks. */
const here: KeysMaker = async (block) => {
  await new Promise((resolve) => setTimeout(resolve));
  return keysOfBlock(block);
};

/** Numbers of a block: about a tenth of a second of work. */
const BLOCK = 12_000;
const LEAST_BLOCK = 64;

export interface KeysJob extends JobOptions {
  readonly makers?: readonly KeysMaker[];
}

/**
 * Finds few keys for samples that hold every joint of a rig (`docs/evaluation.md`, *Keys from samples*): in blocks that
 * several makers share, with a key at every seam. Throws {@link Cancelled} when the signal is aborted.
 */
export async function keysFromSamples(
  rig: Rig,
  samples: Samples,
  {
    space,
    tracks: names = neededTracks(rig, samples),
    wanted = [],
    below,
    straight = false,
    length,
    angle,
    number,
  }: KeysWanted,
  { makers = [here], onProgress, signal }: KeysJob = {},
): Promise<MotionKeys> {
  const tracks = tracksOf(rig, samples, space, names, below);
  const blocks = blocksOf(samples.count, rig.joints.length);
  const found: FittedTracks[] = [];
  let next = 0;
  let done = 0;
  const work = async (make: KeysMaker) => {
    while (next < blocks.length) {
      if (signal?.aborted) throw new Cancelled();
      const index = next++;
      const [from, to] = blocks[index];
      found[index] = await make({
        rig,
        samples: trimmed(motionOn(rig, samples), [from, to]),
        tracks: tracks.map((track) => partOfTrack(track, from, to)),
        limits: { length, angle, number },
        straight,
        wanted: wanted
          .filter(({ sample }) => sample >= from && sample <= to)
          .map((key) => ({ ...key, sample: key.sample - from })),
      });
      onProgress?.(++done / blocks.length);
    }
  };
  onProgress?.(0);
  try {
    await Promise.all(makers.map(work));
  } finally {
    next = blocks.length;
  }
  if (signal?.aborted) throw new Cancelled();
  const splines = names.map(
    (name, t): KeyedTrack => ({
      ...name,
      spline: joined(
        found.map((block) => block.splines[t]),
        blocks,
      ),
    }),
  );
  return {
    tracks: splines,
    space,
    count: samples.count,
    interval: samples.interval,
    before: samples.count * names.length,
    after: splines.reduce((sum, { spline }) => sum + spline.knots.length, 0),
    error: found.map(({ error }, k) => shifted(error, blocks[k][0])).reduce(worse),
  };
}

/** First and last sample of each block; blocks share the sample at their seam. */
function blocksOf(count: number, joints: number): [number, number][] {
  const most = Math.max(LEAST_BLOCK, Math.round(BLOCK / joints));
  const blocks = Math.max(1, Math.ceil((count - 1) / most));
  return Array.from({ length: blocks }, (_, k) => [
    Math.round(((count - 1) * k) / blocks),
    Math.round(((count - 1) * (k + 1)) / blocks),
  ]);
}

/** The splines of blocks as one. Where all of them hold one value, so does it. */
function joined(splines: readonly Spline[], blocks: readonly (readonly [number, number])[]): Spline {
  const { size } = splines[0];
  const holds = splines.every(({ knots, values }) => knots.length === 1 && same(values, splines[0].values));
  if (splines.length === 1 || holds) return splines[0];
  const knots: number[] = [];
  const parts = { values: [] as number[], into: [] as number[], out: [] as number[] };
  for (const [k, spline] of splines.entries()) {
    const [from, to] = blocks[k];
    // A block that holds has one knot: it needs one at its end too.
    const own = spline.knots.length > 1 ? [...spline.knots] : [0, to - from];
    for (const [i, knot] of own.entries()) {
      const at = Math.min(i, spline.knots.length - 1) * size;
      const slice = (numbers: Float64Array) => [...numbers.subarray(at, at + size)];
      if (k > 0 && i === 0) {
        parts.out.splice(-size, size, ...slice(spline.out));
        continue;
      }
      knots.push(from + knot);
      parts.values.push(...slice(spline.values));
      parts.into.push(...slice(spline.into));
      parts.out.push(...slice(spline.out));
    }
  }
  return {
    size,
    straight: splines[0].straight,
    knots: Int32Array.from(knots),
    values: Float64Array.from(parts.values),
    into: Float64Array.from(parts.into),
    out: Float64Array.from(parts.out),
  };
}

const same = (a: Float64Array, b: Float64Array): boolean => a.every((value, i) => value === b[i]);

const shifted = (error: MotionError, by: number): MotionError => ({
  ...error,
  movedAt: error.movedAt + by,
  turnedAt: error.turnedAt + by,
  changedAt: error.changedAt + by,
});

const worse = (a: MotionError, b: MotionError): MotionError => {
  const moved = a.length >= b.length ? a : b;
  const turned = a.angle >= b.angle ? a : b;
  const changed = a.number >= b.number ? a : b;
  return {
    length: moved.length,
    moved: moved.moved,
    movedAt: moved.movedAt,
    angle: turned.angle,
    turned: turned.turned,
    turnedAt: turned.turnedAt,
    number: changed.number,
    changed: changed.changed,
    changedAt: changed.changedAt,
  };
};
