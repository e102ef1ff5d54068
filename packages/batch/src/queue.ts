import { existsSync } from 'node:fs';
import { isAbsolute, join, relative, resolve } from 'node:path';
import { FileError, quote } from '@evlay/core/format';
import type { ConnectionOptions, Job, Queue } from 'bullmq';
import type { Redis } from 'ioredis';
import type { TakeJob } from './job.js';
import { keyOf, recordOf } from './plan.js';
import { digestOf } from './read.js';
import { type OnOutcome, type Outcome, reasonOf } from './run.js';
import { storeResult, type WriteFile } from './store.js';
import type { JobThreads } from './threads.js';

/** The queue on which takes wait for whoever works on them. Paths in its jobs are relative to a root that all of them see. */
const NAME = 'evlay-apply';
/** A job is tried so often. */
const TRIES = 3;
/** Milliseconds after which the job of a worker that no longer tells that it lives is taken up by another. */
const SILENT = 10_000;
/** Milliseconds between two looks at what is done. */
const LOOK = 300;
/** Milliseconds after which a queue that does not answer is told to be out of reach. */
const PATIENCE = 5_000;

/** Where a queue is, and the folder that everybody sees. */
export interface QueuePlace {
  /** redis://HOST:PORT */
  readonly url: string;
  readonly root: string;
}

/** How paths are told to others: relative to the root, with `/` between folders. */
function pathsIn({ root }: QueuePlace): {
  readonly away: (path: string) => string;
  readonly here: (path: string) => string;
} {
  const whole = resolve(root);
  return {
    away(path) {
      const way = relative(whole, resolve(path));
      if (way.startsWith('..') || isAbsolute(way))
        throw new FileError(
          path,
          `it lies outside of ${quote(root)}, expected all files of a queue in the folder of --root`,
        );
      return way.replaceAll('\\', '/');
    },
    here: (path) => join(whole, path),
  };
}

/** A job with other paths. */
const withPaths = (job: TakeJob, path: (path: string) => string): TakeJob => ({
  ...job,
  kit: { ...job.kit, path: path(job.kit.path) },
  take: { ...job.take, path: path(job.take.path) },
  ...(job.rig && { rig: { ...job.rig, path: path(job.rig.path) } }),
  out: path(job.out),
});

/** What a queue is made of. It is loaded by what uses a queue only: other commands start in 0.4 s less. */
async function libraries() {
  const [{ Queue, Worker }, { Redis }] = await Promise.all([import('bullmq'), import('ioredis')]);
  return { Queue, Worker, Redis };
}

type Client = typeof Redis;

/** Where Redis is, by a URL; a client that waits for it however long it is away. */
function connectionTo(Redis: Client, url: string): ConnectionOptions {
  return new Redis(url, {
    maxRetriesPerRequest: null,
    retryStrategy: (tries) => Math.min(1000, 50 * tries),
  }) as unknown as ConnectionOptions;
}

/** Refuses a queue that does not answer. */
async function checkReachable(Redis: Client, url: string): Promise<void> {
  if (!/^rediss?:\/\//.test(url))
    throw new FileError(url, 'expected the address of a Redis server, such as redis://localhost:6379');
  const client = new Redis(url, {
    lazyConnect: true,
    connectTimeout: PATIENCE,
    maxRetriesPerRequest: 0,
    retryStrategy: () => null,
  });
  client.on('error', () => undefined);
  try {
    await client.connect();
    await client.ping();
  } catch (error) {
    throw new FileError(url, `no Redis server answers there (${(error as Error).message})`);
  } finally {
    client.disconnect();
  }
}

/** The id of a job: the same work is on a queue once. */
const idOf = (job: TakeJob): string =>
  digestOf(new TextEncoder().encode(`${job.out} ${keyOf(job)}`)).slice(0, 40);

const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

/**
 * Puts jobs on a queue and waits until each is done by somebody. What came of one is read from the folder of results; a job that the
 * queue has lost is put on it again.
 */
export async function runOnQueue(
  jobs: readonly TakeJob[],
  place: QueuePlace,
  onOutcome: OnOutcome,
): Promise<Outcome[]> {
  const { away, here } = pathsIn(place);
  const told = jobs.map((job) => withPaths(job, away));
  const { Queue, Redis } = await libraries();
  await checkReachable(Redis, place.url);
  const queue = new Queue<TakeJob>(NAME, { connection: connectionTo(Redis, place.url) });
  queue.on('error', () => undefined);
  const outcomes = new Map<number, Outcome>();
  const settle = (k: number, outcome: Outcome) => {
    outcomes.set(k, outcome);
    onOutcome(outcome, outcomes.size, jobs.length);
  };
  try {
    for (const [k, job] of told.entries()) {
      const before = recordOf(job, here);
      if (before) settle(k, { job: jobs[k], record: before, before: true });
      else await add(queue, job);
    }
    while (outcomes.size < jobs.length) {
      for (const [k, job] of told.entries()) {
        if (outcomes.has(k)) continue;
        const outcome = await outcomeOf(queue, job, jobs[k], here);
        if (outcome) settle(k, outcome);
      }
      if (outcomes.size < jobs.length) await pause(LOOK);
    }
  } finally {
    await queue.close();
    await queue.disconnect();
  }
  return jobs.map((_, k) => outcomes.get(k)!);
}

/** Puts a job on the queue; one that failed there before is tried anew. */
async function add(queue: Queue<TakeJob>, job: TakeJob): Promise<void> {
  const id = idOf(job);
  const there = await queue.getJob(id);
  if (there && ((await there.isFailed()) || (await there.isCompleted()))) await there.remove();
  await queue.add('apply', job, {
    jobId: id,
    attempts: TRIES,
    backoff: { type: 'fixed', delay: 200 },
    removeOnComplete: { age: 86_400 },
    removeOnFail: { age: 86_400 },
  });
}

/** What came of a job by now; undefined where it is not done. */
async function outcomeOf(
  queue: Queue<TakeJob>,
  told: TakeJob,
  job: TakeJob,
  here: (path: string) => string,
): Promise<Outcome | undefined> {
  const there: Job<TakeJob> | undefined = await queue.getJob(idOf(told));
  const state = there ? await there.getState() : 'unknown';
  if (state === 'failed') return { job, failed: there?.failedReason ?? 'it failed' };
  if (state !== 'completed' && state !== 'unknown') return undefined;
  const record = recordOf(told, here);
  if (record) return { job, record };
  // The queue has lost it, or what was written is gone: it is done once more.
  await add(queue, told);
  return undefined;
}

/** What a worker did. */
export interface QueueWorker {
  /** Waits until nothing is left to do. */
  readonly drained: () => Promise<void>;
  /** Ends what it is doing, and then itself. */
  readonly close: () => Promise<void>;
}

/** Takes jobs from a queue, so many at once, and writes what comes of them. `onDone` is told of each. */
export async function startWorker(
  place: QueuePlace,
  threads: JobThreads,
  count: number,
  write: WriteFile,
  onDone: (name: string, failed?: string) => void,
): Promise<QueueWorker> {
  if (!existsSync(place.root))
    throw new FileError(place.root, 'no such folder, expected one that all workers see');
  const { Queue, Worker, Redis } = await libraries();
  await checkReachable(Redis, place.url);
  const { here } = pathsIn(place);
  const worker = new Worker<TakeJob>(
    NAME,
    async ({ data }) => {
      // Another one may have written all of it before it was lost.
      if (recordOf(data, here)) return;
      const local = withPaths(data, here);
      try {
        await storeResult(data, await threads.run(local), write, here);
      } catch (error) {
        throw new Error(reasonOf(error, local));
      }
    },
    {
      connection: connectionTo(Redis, place.url),
      concurrency: count,
      lockDuration: SILENT,
      stalledInterval: SILENT / 2,
      maxStalledCount: TRIES,
      drainDelay: 1,
    },
  );
  worker.on('error', () => undefined);
  worker.on('completed', (job) => onDone(job.data.name));
  worker.on('failed', (job, error) => {
    if (job && job.attemptsMade >= TRIES) onDone(job.data.name, error.message);
  });
  await worker.waitUntilReady();
  const queue = new Queue<TakeJob>(NAME, { connection: connectionTo(Redis, place.url) });
  queue.on('error', () => undefined);
  return {
    async drained() {
      for (;;) {
        const counts = await queue.getJobCounts('wait', 'active', 'delayed', 'prioritized');
        if (Object.values(counts).every((one) => one === 0)) return;
        await pause(LOOK);
      }
    },
    async close() {
      await worker.close();
      await queue.close();
      await Promise.all([worker.disconnect(), queue.disconnect()]);
    },
  };
}
