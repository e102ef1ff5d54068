import { availableParallelism } from 'node:os';
import type { Project } from '@evlay/core';
import { withoutLooks } from '@evlay/core';
import { type BakePlan, type BlockBaker, bakerHere } from '@evlay/core/bake';
import {
  type FittedTracks,
  type KeysBlock,
  type KeysJob,
  type KeysWanted,
  keysFromSamples,
  type MotionKeys,
} from '@evlay/core/keys';
import type { Rig } from '@evlay/core/rig';
import type { Samples } from '@evlay/core/take';
import { withSharedSamples } from './shared-samples.js';
import { startThread } from './threads.js';

/** Joints of layers to evaluate below which starting threads takes longer than doing it here. */
const WORTH_THREADS = 2_000_000;
/** Joints of samples, for keys. */
const WORTH_THREADS_FOR_KEYS = 20_000;

/** Does work that evaluates a plan with a thread a core, where there is enough to do; otherwise in this one. */
export async function withBakers<T>(
  project: Project,
  plan: BakePlan,
  work: (bakers: readonly BlockBaker[]) => Promise<T>,
): Promise<T> {
  const size = plan.count * project.layers.length * project.rig.joints.length;
  const cores = availableParallelism();
  if (cores < 2 || size < WORTH_THREADS) {
    const here = bakerHere(project, plan);
    // A turn of the loop between parts, so that a signal is heard.
    return work([(from, to) => new Promise((resolve) => setImmediate(resolve)).then(() => here(from, to))]);
  }
  const shared = { ...withSharedSamples(project), scene: withoutLooks(project.scene) };
  const threads = Array.from({ length: cores }, () =>
    startThread<{ from: number; to: number }, Samples>('bakes', './block.mjs', { project: shared, plan }),
  );
  try {
    return await work(
      threads.map(
        ({ ask }): BlockBaker =>
          (from, to) =>
            ask({ from, to }),
      ),
    );
  } finally {
    for (const { end } of threads) end();
  }
}

/** Finds few keys for samples on every core, where there is enough to do. */
export function keysOnAllCores(
  rig: Rig,
  samples: Samples,
  wanted: KeysWanted,
  job: Pick<KeysJob, 'onProgress'>,
): Promise<MotionKeys> {
  return withKeyThreads(samples.count * rig.joints.length, (makers) =>
    keysFromSamples(rig, samples, wanted, { ...job, ...makers }),
  );
}

/** Does work that finds keys of so many joints of samples with a thread a core, where that is worth it. */
export async function withKeyThreads<T>(
  size: number,
  work: (makers: Pick<KeysJob, 'makers'>) => Promise<T>,
): Promise<T> {
  const cores = availableParallelism();
  if (cores < 2 || size < WORTH_THREADS_FOR_KEYS) return work({});
  const threads = Array.from({ length: cores }, () =>
    startThread<KeysBlock, FittedTracks>('finds keys', './keys.mjs'),
  );
  try {
    return await work({ makers: threads.map(({ ask }) => ask) });
  } finally {
    for (const { end } of threads) end();
  }
}
