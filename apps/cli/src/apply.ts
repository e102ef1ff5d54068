import { existsSync, mkdirSync, statSync } from 'node:fs';
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
  sharedOf,
  startThreads,
  type TakeJob,
  takeFilesIn,
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
  json?: boolean;
}

/** The exit status where something of what was asked for failed. */
const FAILED = 3;

/** The file that threads run: it is built beside this one. */
export const threadFile = (): string => fileURLToPath(new URL('./apply.mjs', import.meta.url));

/** `evlay apply`: puts a kit on takes, and bakes each. */
export async function applyCommand(kit: string, flags: ApplyFlags): Promise<void> {
  const { out } = flags;
  await checkKit(kit);
  if (flags.rig !== undefined) readFile(flags.rig);
  const files = takeFilesIn(flags.to);
  if (files.length === 0)
    throw new FileError(flags.to.join(', '), 'there are no takes in it, expected .bvh or .glb files');
  checkTakes(files);
  makeFolder(out);
  const shared = sharedOf({ ...flags, kit, takes: files });
  const names = namesOf(files);
  const jobs = files.map((take, k): TakeJob => ({ ...shared, take: refTo(take), name: names[k] }));
  const threads = startThreads(flags.jobs ?? availableParallelism(), threadFile());
  try {
    const outcomes = await runHere(jobs, threads, writeFile, flags.resume ?? false, showOutcomes());
    await writeReport(kit, flags, outcomes);
    tellOutcomes(outcomes, flags);
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
