import { expose } from 'comlink';

/** What the page asks of a worker that it starts: to hold a lock under this name for as long as it lives. */
export interface WatchWord {
  readonly watched: string;
}

/**
 * Answers the page by an api, and lets it hear of the end of this worker: a lock that the worker holds is free when the
 * browser ends it, for whatever reason (Web Locks). Without locks the page hears of errors alone.
 */
export function serve(api: object): void {
  addEventListener('message', ({ data }: MessageEvent<Partial<WatchWord> | undefined>) => {
    const name = data?.watched;
    if (name === undefined) return;
    void navigator.locks?.request(name, () => {
      postMessage({ watched: name } satisfies WatchWord);
      return new Promise(() => undefined);
    });
  });
  expose(api);
}
