import { newId, type Take } from '@evlay/core';
import type { StartWorker, Supervised } from '@evlay/core/job';
import { type Remote, transfer, wrap } from 'comlink';
import { samplesId, TRACK_KINDS, takeOutline } from './outline.js';
import type { WatchWord } from './serve.js';
import { canShare, sharedNumbers } from './shared-numbers.js';
import type { SharedSamples, TakesApi } from './take-cache.js';

/** Starts a worker that serves an api, and watches it: its errors, what cannot be read of it, and its end. */
export const startWorker =
  <Api>(make: () => Worker): StartWorker<Remote<Api>> =>
  (lost) => {
    const worker = make();
    const over = new AbortController();
    worker.addEventListener('error', (event) => {
      event.preventDefault();
      lost(event.message ? `failed (${event.message})` : 'could not be loaded: is the server still there?');
    });
    worker.addEventListener('messageerror', () => lost('sent what could not be read'));
    const watched = `evlay.worker.${newId()}`;
    worker.addEventListener('message', ({ data }: MessageEvent<Partial<WatchWord> | undefined>) => {
      if (data?.watched !== watched) return;
      // The worker has the lock now: it comes to the page when there is no worker any more.
      navigator.locks
        ?.request(watched, { signal: over.signal }, () =>
          lost('was ended by the browser, as it does where memory runs out'),
        )
        .catch(() => undefined);
    });
    worker.postMessage({ watched } satisfies WatchWord);
    return {
      port: wrap<Api>(worker),
      end() {
        over.abort();
        worker.terminate();
      },
    };
  };

/** Numbers that are sent at once: half a megabyte, which copies in no time. */
const SENT_AT_ONCE = 65536;

/** What one running worker holds of samples. */
interface Holding {
  readonly held: Set<string>;
  /** Samples that jobs under way need, and how many of them. */
  readonly used: Map<string, number>;
  /** What is sent, or let go of, one after the other. */
  going: Promise<void>;
}

const holdings = new WeakMap<object, Holding>();

function holdingOf(port: Remote<TakesApi>): Holding {
  let holding = holdings.get(port);
  if (!holding) {
    holding = { held: new Set(), used: new Map(), going: Promise.resolve() };
    holdings.set(port, holding);
  }
  return holding;
}

/**
 * Sends takes that a worker does not hold yet: in memory that it shares with all others, where that can be, and else in
 * chunks, so that a long one does not hold up the page.
 */
async function send(port: Remote<TakesApi>, { held }: Holding, takes: readonly Take[]): Promise<void> {
  for (const take of takes) {
    const samples = samplesId(take);
    if (held.has(samples)) continue;
    if (canShare()) {
      await port.holdShared(samples, takeOutline(take), await sharedSamples(take));
      held.add(samples);
      continue;
    }
    await port.hold(samples, takeOutline(take));
    for (const kind of TRACK_KINDS) {
      const { values } = take[kind];
      for (let at = 0; at < values.length; at += SENT_AT_ONCE) {
        const chunk = values.slice(at, at + SENT_AT_ONCE);
        await port.fill(samples, kind, at, transfer(chunk, [chunk.buffer]));
      }
    }
    held.add(samples);
  }
}

/** The numbers of a take in memory that all workers look into. */
async function sharedSamples(take: Take): Promise<SharedSamples> {
  const all = await Promise.all(
    TRACK_KINDS.map(async (kind) => [kind, await sharedNumbers(take[kind].values)] as const),
  );
  return Object.fromEntries(all) as SharedSamples;
}

/** Asks a worker that is sent some takes first; it holds them at least until it has answered. */
export function askWithTakes<Api extends TakesApi, R>(
  host: Supervised<Remote<Api>>,
  takes: readonly Take[],
  ask: (port: Remote<Api>) => R,
): Promise<Awaited<R>> {
  return host.ask(async (port) => {
    const sent = port as unknown as Remote<TakesApi>;
    const holding = holdingOf(sent);
    const ids = takes.map(samplesId);
    for (const id of ids) holding.used.set(id, (holding.used.get(id) ?? 0) + 1);
    try {
      const before = holding.going.catch(() => undefined);
      holding.going = before.then(() => send(sent, holding, takes));
      await holding.going;
      return await ask(port);
    } finally {
      for (const id of ids) {
        const left = holding.used.get(id)! - 1;
        if (left > 0) holding.used.set(id, left);
        else holding.used.delete(id);
      }
    }
  });
}

/** Lets a worker go of all samples but those of some takes and of jobs under way. One that does not run holds none. */
export function keepTakes<Api extends TakesApi>(host: Supervised<Remote<Api>>, takes: readonly Take[]): void {
  const port = host.running() as unknown as Remote<TakesApi> | undefined;
  if (!port) return;
  const holding = holdingOf(port);
  holding.going = holding.going
    .catch(() => undefined)
    .then(async () => {
      const { held, used } = holding;
      const kept = new Set([...takes.map(samplesId), ...used.keys()]);
      const left = [...held].filter((samples) => kept.has(samples));
      if (left.length === held.size) return;
      for (const samples of [...held]) if (!kept.has(samples)) held.delete(samples);
      await port.keep(left);
    })
    .catch(() => undefined);
}
