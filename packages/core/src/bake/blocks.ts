import { Cancelled, type JobOptions } from '../job/job.js';
import { TRACK_KINDS } from '../keys/tracks.js';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { type BakePlan, newSamples } from './plan.js';

/**
 * Evaluates samples `from` to `to` (not included), here or on another thread. It may be asked for the next block before
 * it has brought the last, and then does one after the other.
 */
export type BlockBaker = (from: number, to: number) => Promise<Samples>;

/** Milliseconds that a block is to take: work is stopped within a tenth of a second, and is worth the way. */
const BLOCK_TIME = 15;
const LARGEST_BLOCK = 1024;
/** A block that is worth its way, however long the one who takes the blocks is busy with them. */
const SMALLEST_BLOCK = 16;
/** Blocks that a worker has before it, so that it never waits for the next. */
const AHEAD = 2;

/**
 * Bakes a plan with several workers, each of which is given the next block when it is done with one, and hands the blocks over
 * in their order. A worker whose block has to wait for an earlier one is given nothing more, so that no more than two blocks
 * for each worker are in memory. Throws {@link Cancelled} when the signal is aborted.
 */
export async function bakeInOrder(
  plan: BakePlan,
  bakers: readonly BlockBaker[],
  take: (block: Samples, from: number) => void,
  { onProgress, signal }: JobOptions = {},
): Promise<void> {
  let next = 0;
  let size = SMALLEST_BLOCK;
  let before = Promise.resolve();
  let stopped = false;
  const work = async (baker: BlockBaker) => {
    while (next < plan.count) {
      if (signal?.aborted) throw new Cancelled();
      const from = next;
      const to = Math.min(plan.count, from + size);
      next = to;
      const started = performance.now();
      const earlier = before;
      let taken = () => {};
      before = new Promise((resolve) => {
        taken = resolve;
      });
      try {
        const block = await baker(from, to);
        const time = (performance.now() - started) / AHEAD;
        size = Math.max(
          SMALLEST_BLOCK,
          Math.min(LARGEST_BLOCK, 2 * size, Math.round((block.count * BLOCK_TIME) / time)),
        );
        await earlier;
        if (stopped) return;
        take(block, from);
        onProgress?.((from + block.count) / plan.count);
      } catch (error) {
        stopped = true;
        throw error;
      } finally {
        taken();
      }
    }
  };
  onProgress?.(0);
  try {
    await Promise.all(bakers.flatMap((baker) => Array.from({ length: AHEAD }, () => work(baker))));
  } finally {
    // When one fails the others bake no further block.
    next = plan.count;
    stopped = true;
  }
  if (signal?.aborted) throw new Cancelled();
}

/** Bakes a plan with several workers and joins what they bring. Throws {@link Cancelled} when the signal is aborted. */
export async function bakeInBlocks(
  rig: Rig,
  plan: BakePlan,
  bakers: readonly BlockBaker[],
  job: JobOptions = {},
): Promise<Samples> {
  const all = newSamples(rig, plan.count, plan.rate);
  const take = (block: Samples, from: number) => {
    for (const kind of TRACK_KINDS) {
      const { values, size, joints } = all[kind];
      values.set(block[kind].values, from * joints.length * size);
    }
  };
  await bakeInOrder(plan, bakers, take, job);
  return all;
}
