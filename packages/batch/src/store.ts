import { basename, join } from 'node:path';
import type { JobResult, TakeJob, TakeRecord } from './job.js';
import { recordPath } from './plan.js';
import { digestOf } from './read.js';

/** Writes a file whole or not at all. */
export type WriteFile = (path: string, bytes: Uint8Array) => Promise<void>;

/** Writes what came of a job: its files, and last the record by which they are known to be whole. */
export async function storeResult(
  job: TakeJob,
  { done, files }: JobResult,
  write: WriteFile,
  toLocal: (path: string) => string = (path) => path,
): Promise<TakeRecord> {
  for (const { name, bytes } of files) await write(toLocal(join(job.out, name)), bytes);
  const record: TakeRecord = {
    job: withNamesAlone(job),
    done: [...done],
    files: files.map(({ name, bytes }) => ({ name, size: bytes.length, digest: digestOf(bytes) })),
  };
  await write(toLocal(recordPath(job)), new TextEncoder().encode(`${JSON.stringify(record)}\n`));
  return record;
}

/** A job without where its files lie, which is another place for everybody who does it. */
const withNamesAlone = (job: TakeJob): TakeJob => ({
  ...job,
  kit: { ...job.kit, path: basename(job.kit.path) },
  take: { ...job.take, path: basename(job.take.path) },
  ...(job.rig && { rig: { ...job.rig, path: basename(job.rig.path) } }),
  out: '',
});
