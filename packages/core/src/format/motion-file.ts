import type { TrackKind } from '../keys/tracks.js';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

/** Bytes of a file, and at which byte of it they begin. */
export interface ByteRange {
  readonly at: number;
  readonly bytes: Uint8Array<ArrayBuffer>;
}

/**
 * What a joint does that a file needs room for, as bits: {@link MOVES}, {@link TURNS}, {@link SCALES}. One number a joint, and
 * behind them one a face channel, which moves or does not.
 */
export type JointFlags = Uint8Array;

/** It leaves its translation at rest. */
export const MOVES = 1;
/** It turns. */
export const TURNS = 2;
/** It leaves its scale at rest. */
export const SCALES = 4;

/**
 * A kind of file to which a motion is written part after part while it is made, so that it is never in memory as a whole. Where
 * things stand in the file hangs on what the joints do, which has to be known before it is begun.
 *
 * ```
 * const flags = format.flags();
 * format.note(samples, flags);
 * const file = format.begin(flags);
 * const ranges = [...file.head, ...file.next(samples), ...file.tail];
 * ```
 */
export interface MotionFormat {
  /** Room for what the joints do, of which nothing is known yet. */
  readonly flags: () => JointFlags;
  /** Adds what the joints do in some samples, which hold every joint of the rig. */
  readonly note: (part: Samples, flags: JointFlags) => void;
  /** Begins a file for a motion in which the joints do that. */
  readonly begin: (flags: JointFlags) => MotionFile;
}

/** A file that is being written. Its ranges touch one another, and together they are the whole of it. */
export interface MotionFile {
  readonly head: readonly ByteRange[];
  /** The ranges of the next samples. */
  readonly next: (part: Samples) => readonly ByteRange[];
  readonly tail: readonly ByteRange[];
  /** What a file of this kind cannot hold of the motion. */
  readonly warnings: readonly string[];
  /** The joints as they are read back from the file; missing where it holds no skeleton. */
  readonly rig?: () => Rig;
}

/** A file of few keys, all of which are known. */
export interface KeysFile {
  /** Its ranges, made one after the other while they are asked for; together they are the whole of it. */
  readonly ranges: () => Iterable<ByteRange>;
  /** The joints as they are read back from the file. */
  readonly rig: () => Rig;
}

/** A whole file of samples that hold every joint of the rig. */
export function writeWhole(
  format: MotionFormat,
  samples: Samples,
): { bytes: Uint8Array<ArrayBuffer>; warnings: readonly string[] } {
  const flags = format.flags();
  format.note(samples, flags);
  const file = format.begin(flags);
  return { bytes: joinRanges([...file.head, ...file.next(samples), ...file.tail]), warnings: file.warnings };
}

/** The bytes of all ranges of a file. */
export function joinRanges(ranges: readonly ByteRange[]): Uint8Array<ArrayBuffer> {
  let size = 0;
  for (const { at, bytes } of ranges) size = Math.max(size, at + bytes.length);
  const out = new Uint8Array(size);
  for (const { at, bytes } of ranges) out.set(bytes, at);
  return out;
}

/** Adds `flag` to the joints whose numbers of one kind ever leave rest by more than `limit`; a joint that has it is not looked at. */
export function noteDepartures(
  samples: Samples,
  kind: TrackKind,
  rests: readonly (readonly number[])[],
  limit: (joint: number) => number,
  flags: JointFlags,
  flag: number,
): void {
  const { values, size, joints } = samples[kind];
  // Those that are still at rest, row by row: a joint's numbers lie far apart.
  const still = Int32Array.from(rests.keys()).filter((j) => (flags[j] & flag) === 0);
  const most = Float64Array.from(still, limit);
  const numbers = Float64Array.from([...still].flatMap((j) => [...rests[j]]));
  let left = still.length;
  for (let row = 0; row < values.length && left > 0; row += size * joints.length)
    for (let k = left - 1; k >= 0; k--) {
      const o = row + size * still[k];
      if (isNear(values, o, numbers, size * k, size, most[k])) continue;
      flags[still[k]] |= flag;
      left--;
      still[k] = still[left];
      most[k] = most[left];
      numbers.copyWithin(size * k, size * left, size * (left + 1));
    }
}

function isNear(a: Float64Array, i: number, b: Float64Array, j: number, size: number, most: number): boolean {
  for (let c = 0; c < size; c++) if (!(Math.abs(a[i + c] - b[j + c]) <= most)) return false;
  return true;
}
