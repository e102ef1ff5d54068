import { move, transferableSymbol, valueSymbol } from 'piscina';
import { doJob, type Kept } from './do-job.js';
import type { JobResult, TakeJob } from './job.js';

/** What this thread keeps. */
const kept: Kept = {};

/** Does jobs on a thread of its own; the bytes of results are handed over, not copied. */
export default async function apply(job: TakeJob): Promise<JobResult> {
  const result = await doJob(job, kept);
  return move({
    [transferableSymbol]: result.files.map(({ bytes }) => bytes.buffer),
    [valueSymbol]: result,
  } as never) as unknown as JobResult;
}
