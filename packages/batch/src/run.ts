import type { TakeJob, TakeRecord } from './job.js';
import { recordOf } from './plan.js';
import { storeResult, type WriteFile } from './store.js';
import type { JobThreads } from './threads.js';

/** What came of a take file, or why nothing did. */
export type Outcome =
  | { readonly job: TakeJob; readonly record: TakeRecord; readonly before?: true }
  | { readonly job: TakeJob; readonly failed: string };

/** Told when a job is done: how many are, of how many, what came of it. */
export type OnOutcome = (outcome: Outcome, done: number, of: number) => void;

/** Does jobs here, on threads. With `resume`, those whose results are there already are left out. Outcomes come in the order of the jobs. */
export async function runHere(
  jobs: readonly TakeJob[],
  threads: JobThreads,
  write: WriteFile,
  resume: boolean,
  onOutcome: OnOutcome,
): Promise<Outcome[]> {
  let done = 0;
  return Promise.all(
    jobs.map(async (job): Promise<Outcome> => {
      const outcome = await doOne(job, threads, write, resume);
      onOutcome(outcome, ++done, jobs.length);
      return outcome;
    }),
  );
}

async function doOne(job: TakeJob, threads: JobThreads, write: WriteFile, resume: boolean): Promise<Outcome> {
  const before = resume ? recordOf(job) : undefined;
  if (before) return { job, record: before, before: true };
  try {
    return { job, record: await storeResult(job, await threads.run(job), write) };
  } catch (error) {
    return { job, failed: reasonOf(error, job) };
  }
}

/** Why a job failed, on one line, without the path of its take in front. */
export function reasonOf(error: unknown, { take }: TakeJob): string {
  const message = (error instanceof Error ? error.message : String(error)).replace(/\s*\n\s*/g, ' ');
  const path = `${take.path}: `;
  return message.startsWith(path) ? message.slice(path.length) : message;
}
