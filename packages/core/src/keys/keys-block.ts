import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { type FittedTracks, fitTracks, type KeyLimits } from './fit-tracks.js';
import type { WantedKey } from './track-fit.js';
import type { KeyTrack } from './tracks.js';
import { placesOf } from './whole-pose.js';

/** A stretch of the work, which is done on its own: everything that another thread needs. */
export interface KeysBlock {
  readonly rig: Rig;
  readonly samples: Samples;
  readonly tracks: readonly KeyTrack[];
  readonly limits: KeyLimits;
  readonly wanted: readonly WantedKey[];
  readonly straight: boolean;
  /** Whether it is to be told how far each joint is off at each sample. */
  readonly watched: boolean;
}

/** Finds the keys of a block, here or on another thread. */
export type KeysMaker = (block: KeysBlock) => Promise<FittedTracks>;

export const keysOfBlock = ({
  rig,
  samples,
  tracks,
  limits,
  wanted,
  straight,
  watched,
}: KeysBlock): FittedTracks =>
  fitTracks(rig, samples, placesOf(rig, samples), tracks, limits, wanted, straight, watched);

/** Numbers of a block: about a tenth of a second of work. */
const BLOCK = 12_000;
const LEAST_BLOCK = 64;

/** First and last sample of each block of a motion; blocks share the sample at their seam. */
export function blocksOf(count: number, joints: number): [number, number][] {
  const most = Math.max(LEAST_BLOCK, Math.round(BLOCK / joints));
  const blocks = Math.max(1, Math.ceil((count - 1) / most));
  return Array.from({ length: blocks }, (_, k) => [
    Math.round(((count - 1) * k) / blocks),
    Math.round(((count - 1) * (k + 1)) / blocks),
  ]);
}
