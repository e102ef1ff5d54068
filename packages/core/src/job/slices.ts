import { Cancelled, type JobOptions } from './job.js';
import type { Steps } from './steps.js';

/** Milliseconds that are worked at a stretch: on a page so few that it stays free. */
export const STRETCH = { page: 8, worker: 20 };

/**
 * Does steps a stretch at a time, between which other work runs and it is heard whether to go on. Throws {@link Cancelled}
 * when the signal is aborted.
 */
export async function inSlices<T>(
  steps: Steps<T>,
  { signal, onProgress }: JobOptions = {},
  stretch = STRETCH.worker,
): Promise<T> {
  for (;;) {
    if (signal?.aborted) throw new Cancelled();
    for (const end = performance.now() + stretch; performance.now() < end; ) {
      const step = steps.next();
      if (step.done) return step.value;
      if (step.value !== undefined) onProgress?.(step.value);
    }
    await new Promise((resolve) => setTimeout(resolve));
  }
}
