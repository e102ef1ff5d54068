import { existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  checkTakes,
  namesOf,
  type OnOutcome,
  type Outcome,
  refTo,
  reportHtml,
  reportJson,
  reportOf,
  runHere,
  runOnQueue,
  type Shared,
  sharedOf,
  startThreads,
  type TakeJob,
  takeFilesIn,
  watchFolders,
} from '@evlay/batch';
import { FileError, readKit } from '@evlay/core/format';
import { beside, readFile, writeFile } from './files.js';

export interface ApplyFlags {
  to: string[];
  rig?: string;
  out: string;
  format: string;
  tolerance?: number;
  angle?: number;
  jobs?: number;
  resume?: boolean;
  watch?: boolean;
  queue?: string;
  root: string;
  json?: boolean;
}

/** The exit status where something of what was asked for failed. */
const FAILED = 3;

/** The file that threads run: it is built beside this one. */
export const threadFile = (): string => fileURLToPath(new URL('./apply.mjs', import.meta.url));

/** `evlay apply`: puts a kit on takes, and bakes each. */
export async function applyCommand(kit: string, flags: ApplyFlags): Promise<void> {
  const { out } = flags;
  if (flags.watch && flags.queue !== undefined)
    throw new FileError('--watch', 'takes that appear are done here, expected no --queue');
  await checkKit(kit);
  if (flags.rig !== undefined) readFile(flags.rig);
  makeFolder(out);
  if (flags.queue === undefined) clearLeftovers(out);
  const shared = sharedOf({ ...flags, kit, takes: flags.to });
  if (flags.watch) {
    await watch(kit, shared, flags);
    return;
  }
  const files = takeFilesIn(flags.to);
  if (files.length === 0)
    throw new FileError(flags.to.join(', '), 'there are no takes in it, expected .bvh or .glb files');
  checkTakes(files);
  const names = namesOf(files);
  const jobs = files.map((take, k): TakeJob => ({ ...shared, take: refTo(take), name: names[k] }));
  const outcomes = await doAll(jobs, flags);
  await writeReport(kit, flags, outcomes);
  tellOutcomes(outcomes, flags);
}

/** Does every take that is in the folders or appears there, until it is interrupted; the report is that of all so far. */
async function watch(kit: string, shared: Shared, flags: ApplyFlags): Promise<void> {
  const threads = await startThreads(1, threadFile());
  const outcomes = new Map<string, Outcome>();
  const names = new Map<string, string>();
  const stop = new AbortController();
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => stop.abort());
  process.stderr.write(`evlay: watches ${flags.to.join(', ')}; Ctrl+C ends it\n`);
  try {
    await watchFolders(
      flags.to,
      async (path) => {
        const name = names.get(path) ?? namesOf([path], names.values())[0];
        names.set(path, name);
        const job: TakeJob = { ...shared, take: refTo(path), name };
        const [outcome] = await runHere([job], threads, writeFile, true, () => undefined);
        outcomes.set(path, outcome);
        await writeReport(kit, flags, [...outcomes.values()]);
        process.stdout.write('failed' in outcome ? `${name}: failed, ${outcome.failed}\n` : `${name}\n`);
      },
      stop.signal,
    );
  } finally {
    await threads.end();
  }
  if ([...outcomes.values()].some((one) => 'failed' in one)) process.exitCode = FAILED;
}

/** Takes away what an earlier run on this machine that was ended at once has left half written. */
function clearLeftovers(out: string): void {
  for (const folder of [out, join(out, 'results')])
    for (const name of readdirSync(folder)) {
      const [, pid] = /\.(\d+)\.part$/.exec(name) ?? [];
      if (pid !== undefined && !lives(Number(pid))) rmSync(join(folder, name), { force: true });
    }
}

function lives(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}

/** Does jobs by the queue that is asked for, or by threads of this process. */
async function doAll(
  jobs: readonly TakeJob[],
  { queue, root, jobs: count, resume }: ApplyFlags,
): Promise<Outcome[]> {
  if (queue !== undefined) return runOnQueue(jobs, { url: queue, root }, showOutcomes());
  const threads = await startThreads(count ?? availableParallelism(), threadFile());
  try {
    return await runHere(jobs, threads, writeFile, resume ?? false, showOutcomes());
  } finally {
    await threads.end();
  }
}

/** Refuses a kit that cannot be read, before any work is done. */
async function checkKit(kit: string): Promise<void> {
  const find = beside(kit);
  await readKit(kit, readFile(kit), (name) => {
    const bytes = find(name);
    return bytes && { bytes };
  });
}

/** Makes the folder of results, with one for the records of what is whole. */
function makeFolder(out: string): void {
  if (existsSync(out) && !statSync(out).isDirectory())
    throw new FileError(out, 'this is a file, expected a folder');
  mkdirSync(join(out, 'results'), { recursive: true });
}

/** Writes `report.json` and `report.html`. */
export async function writeReport(
  kit: string,
  { out, rig }: ApplyFlags,
  outcomes: readonly Outcome[],
): Promise<void> {
  const report = reportOf(kit, rig, outcomes);
  const text = new TextEncoder();
  await writeFile(join(out, 'report.json'), text.encode(reportJson(report)));
  await writeFile(join(out, 'report.html'), text.encode(reportHtml(report)));
}

/** Says on a terminal how many are done, what was last, and how long it will take. */
export function showOutcomes(now: () => number = Date.now): OnOutcome {
  const begun = now();
  let worked = 0;
  return (outcome, done, of) => {
    if (!('before' in outcome)) worked++;
    if (!process.stderr.isTTY) return;
    const left = worked > 0 ? ((now() - begun) / worked) * (of - done) : 0;
    const line = done < of ? `${done} of ${of}, ${outcome.job.name}, ${timeText(left)} left` : '';
    process.stderr.write(`\r\u001b[K${line}`);
  };
}

const timeText = (ms: number): string =>
  ms < 90_000 ? `${Math.ceil(ms / 1000)} s` : `${Math.ceil(ms / 60_000)} min`;

/** Says what failed, a line each, and sums up; the exit status tells whether something did. */
export function tellOutcomes(outcomes: readonly Outcome[], { out, json }: ApplyFlags): void {
  const failed = outcomes.flatMap((one) => ('failed' in one ? [one] : []));
  for (const { job, failed: reason } of failed) process.stderr.write(`evlay: ${job.take.path}: ${reason}\n`);
  const resumed = outcomes.filter((one) => 'before' in one).length;
  const summary = {
    out,
    takes: outcomes.length,
    done: outcomes.length - failed.length,
    resumed,
    failed: failed.map(({ job, failed: reason }) => ({ take: job.take.path, reason })),
    report: join(out, 'report.html'),
  };
  if (json) process.stdout.write(`${JSON.stringify(summary)}\n`);
  else
    process.stdout.write(
      `${summary.done} of ${summary.takes} takes${resumed > 0 ? `, ${resumed} of them were there` : ''}: ${summary.report}\n`,
    );
  if (failed.length > 0) process.exitCode = FAILED;
}
