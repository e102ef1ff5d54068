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
  const stride = size * joints.length;
  for (let j = 0; j < rests.length; j++) {
    if ((flags[j] & flag) !== 0) continue;
    const rest = rests[j];
    const most = limit(j);
    for (let o = size * j; o < values.length; o += stride) {
      let off = 0;
      for (let c = 0; c < size; c++) off = Math.max(off, Math.abs(values[o + c] - rest[c]));
      if (off <= most) continue;
      flags[j] |= flag;
      break;
    }
  }
}
