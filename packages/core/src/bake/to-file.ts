import type { ByteRange, JointFlags, MotionFile, MotionFormat } from '../format/motion-file.js';
import type { JobOptions } from '../job/job.js';
import type { Samples } from '../take/take.js';
import { type BlockBaker, bakeInOrder } from './blocks.js';
import type { BakePlan } from './plan.js';

/** Where a file goes while it is written. */
export interface FileSink {
  /** Begins it, or begins it anew: what was written is of no use. */
  readonly begin: () => void;
  readonly write: (range: ByteRange) => void;
}

/** Changes samples that come part after part, the first one first. */
export type Shaping = (part: Samples) => Samples;

/** Samples over the whole range that are looked at before a file is begun. */
const LOOKS = 64;

/**
 * Bakes a plan to a file that is written while it is baked, so that memory does not grow with its length. What joints do is
 * guessed from some samples over the range; where they turn out to do more than that, the file is begun once more.
 * `shaping` makes what changes the samples on their way. Throws {@link Cancelled} when the signal is aborted.
 */
export async function bakeToFile(
  format: MotionFormat,
  plan: BakePlan,
  bakers: readonly BlockBaker[],
  sink: FileSink,
  { shaping = () => (part) => part, ...job }: JobOptions & { readonly shaping?: () => Shaping } = {},
): Promise<MotionFile> {
  let flags = await guessFlags(format, plan, bakers[0], shaping());
  for (;;) {
    const file = format.begin(flags);
    const shape = shaping();
    const seen = flags.slice();
    let fits = true;
    sink.begin();
    for (const range of file.head) sink.write(range);
    const take = (part: Samples) => {
      const shaped = shape(part);
      format.note(shaped, seen);
      fits &&= seen.every((flag, j) => flag === flags[j]);
      if (fits) for (const range of file.next(shaped)) sink.write(range);
    };
    await bakeInOrder(plan, bakers, take, job);
    if (fits) {
      for (const range of file.tail) sink.write(range);
      return file;
    }
    flags = seen;
  }
}

async function guessFlags(
  format: MotionFormat,
  { count }: BakePlan,
  baker: BlockBaker,
  shape: Shaping,
): Promise<JointFlags> {
  const flags = format.flags();
  const looks = Math.min(LOOKS, count);
  for (let k = 0; k < looks; k++) {
    const sample = looks === 1 ? 0 : Math.round((k * (count - 1)) / (looks - 1));
    format.note(shape(await baker(sample, sample + 1)), flags);
  }
  return flags;
}
