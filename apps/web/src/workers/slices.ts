import type { Steps } from '@evlay/core';
import { BakeCancelled, type JobOptions } from '@evlay/core/bake';

/** Milliseconds that are worked before a look whether to go on. */
const STRETCH = 20;

/** Does work in slices, between which the worker hears whether to go on. Throws `BakeCancelled`. */
export async function inSlices<T>(steps: Steps<T>, { signal, onProgress }: Required<JobOptions>): Promise<T> {
  for (;;) {
    for (const end = performance.now() + STRETCH; performance.now() < end; ) {
      const step = steps.next();
      if (step.done) return step.value;
      onProgress(step.value ?? 0);
    }
    await new Promise((resolve) => setTimeout(resolve));
    if (signal.aborted) throw new BakeCancelled();
  }
}
