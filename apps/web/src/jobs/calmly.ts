import type { Steps } from '@evlay/core';

/** Milliseconds that the page works at a stretch. */
const STRETCH = 8;

const pause = () => new Promise((resolve) => setTimeout(resolve));

/** Does steps so that the page stays free. Undefined where it is given up. */
export async function calmly<T>(
  steps: Steps<T>,
  signal: AbortSignal,
  progress: (done: number) => void = () => undefined,
): Promise<T | undefined> {
  for (;;) {
    const end = performance.now() + STRETCH;
    while (performance.now() < end) {
      const step = steps.next();
      if (step.done) return step.value;
      if (step.value !== undefined) progress(step.value);
    }
    await pause();
    if (signal.aborted) return undefined;
  }
}
