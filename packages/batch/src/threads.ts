import type { JobResult, TakeJob } from './job.js';

/** Threads that do jobs. */
export interface JobThreads {
  readonly run: (job: TakeJob) => Promise<JobResult>;
  readonly end: () => Promise<void>;
}

/** Megabytes that a thread may take: what does more is refused, and the others go on. */
const MOST_MEMORY = 4096;

/** Starts so many threads; `file` is what runs on them ({@link apply}). */
export async function startThreads(count: number, file: string): Promise<JobThreads> {
  // Only who starts threads waits for it to be loaded.
  const { Piscina } = await import('piscina');
  const pool = new Piscina<TakeJob, JobResult>({
    filename: file,
    minThreads: 1,
    maxThreads: count,
    concurrentTasksPerWorker: 1,
    resourceLimits: { maxOldGenerationSizeMb: MOST_MEMORY },
  });
  // What a thread ends of is told by the job that it did.
  pool.on('error', () => undefined);
  return { run: (job) => pool.run(job), end: () => pool.destroy() };
}
