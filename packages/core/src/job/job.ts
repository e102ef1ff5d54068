/** How long work tells of itself and is stopped by the one who asked for it. */
export interface JobOptions {
  /** Told now and then what part of the work is done, from 0 to 1. */
  readonly onProgress?: (done: number) => void;
  /** Ends the work early when it is aborted. */
  readonly signal?: { readonly aborted: boolean };
}

/** Work that was stopped by the one who asked for it. */
export class Cancelled extends Error {
  constructor() {
    super('It was cancelled.');
    this.name = 'Cancelled';
  }
}

/** What part of some work is done, from 0 to 1, and who hears when it is more: `subscribe` returns what ends that. */
export interface Progress {
  readonly get: () => number;
  readonly subscribe: (listener: () => void) => () => void;
}

/** Long work that is under way. */
export interface Job<T> {
  /** What is done, in words for people. */
  readonly name: string;
  /** What came of it; undefined where it was cancelled. It fails in one way: with an error for people. */
  readonly result: Promise<T | undefined>;
  readonly progress: Progress;
  readonly cancel: () => void;
}

/** What a job hears of the one who asked for it, and what it tells. */
export interface JobWork {
  readonly onProgress: (done: number) => void;
  readonly signal: AbortSignal;
}

/**
 * Begins long work under a name. Once it is cancelled its result is undefined at once, whatever the work still brings, and
 * nothing more is told of its progress.
 */
export function startJob<T>(name: string, work: (own: JobWork) => Promise<T | undefined>): Job<T> {
  const giveUp = new AbortController();
  const { signal } = giveUp;
  const listeners = new Set<() => void>();
  let done = 0;
  const cancelled = new Promise<undefined>((resolve) => {
    signal.addEventListener('abort', () => resolve(undefined));
  });
  const onProgress = (part: number): void => {
    if (signal.aborted || part === done) return;
    done = part;
    for (const listener of listeners) listener();
  };
  const worked = work({ onProgress, signal }).catch((error: unknown) => {
    if (error instanceof Cancelled || signal.aborted) return undefined;
    throw error;
  });
  return {
    name,
    result: Promise.race([worked, cancelled]),
    progress: {
      get: () => done,
      subscribe(listener) {
        listeners.add(listener);
        return () => listeners.delete(listener);
      },
    },
    cancel: () => giveUp.abort(),
  };
}
