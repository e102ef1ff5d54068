import type { Project, Take } from '@evlay/core';
import type { MergedRun } from '@evlay/core/edit';
import { writtenKind } from '@evlay/core/format';
import { Cancelled, type JobWork, type Supervised, supervised } from '@evlay/core/job';
import { proxy, type Remote } from 'comlink';
import type { ApartLayers, Explained } from '../workers/apart.js';
import type {
  BakeApi,
  Baked,
  BakedIn,
  BakeInJob,
  BakeJob,
  BakeKind,
  ChartJob,
  KeysPoint,
  RunJob,
} from '../workers/bake.worker.js';
import type { CheckApi } from '../workers/check.worker.js';
import { askWithTakes, keepTakes, startWorker } from '../workers/host.js';
import type { ImportApi } from '../workers/import.worker.js';
import { outlineOf, type ProjectOutline } from '../workers/outline.js';

/** The workers of the page. Each is begun when it is first asked, and anew after it was lost. */
const importer: Supervised<Remote<ImportApi>> = supervised(
  'reads and makes takes',
  startWorker<ImportApi>(
    () => new Worker(new URL('../workers/import.worker.ts', import.meta.url), { type: 'module' }),
  ),
);

const baker: Supervised<Remote<BakeApi>> = supervised(
  'bakes and merges',
  startWorker<BakeApi>(
    () => new Worker(new URL('../workers/bake.worker.ts', import.meta.url), { type: 'module' }),
  ),
);

const checker: Supervised<Remote<CheckApi>> = supervised(
  'looks for findings',
  startWorker<CheckApi>(
    () => new Worker(new URL('../workers/check.worker.ts', import.meta.url), { type: 'module' }),
  ),
);

/** How many wait for the worker that reads files. */
let reading = 0;

/** Asks the worker that reads files. Undefined where it is cancelled. */
export async function askImporter<R>(ask: (worker: Remote<ImportApi>) => R): Promise<Awaited<R> | undefined> {
  reading++;
  try {
    return await importer.ask(ask);
  } catch (error) {
    if (error instanceof Cancelled) return undefined;
    throw error;
  } finally {
    reading--;
  }
}

/** Bytes of samples from which on reading has taken so much memory that it is worth a worker to have it back. */
const MUCH = 20e6;

/** Ends the worker that reads files after it has read long takes, if nobody waits for it: the next file has one of its own. */
export function restImporter(takes: readonly Take[]): void {
  const read = takes.reduce(
    (sum, { translations, rotations }) => sum + translations.values.byteLength + rotations.values.byteLength,
    0,
  );
  if (read > MUCH && reading === 0) importer.end();
}

/** Begins the worker that reads files before there is a file, so that nothing has to wait for it. */
export const beginImporter = (): void => void askImporter(() => undefined).catch(() => undefined);

/** Stops reading at once, in the middle of a file; the next file has a worker of its own. */
export const cancelImport = (): void => importer.end();

/** Asks the worker that checks motion about a project, whose takes it is sent first. */
export const askChecker = <R>(
  project: Project,
  ask: (worker: Remote<CheckApi>, outline: ProjectOutline) => R,
): Promise<Awaited<R>> => askWithTakes(checker, project.takes, (worker) => ask(worker, outlineOf(project)));

/** Asks the worker that bakes about a project, whose takes it is sent first. */
const askBaker = <R>(
  project: Project,
  ask: (worker: Remote<BakeApi>, outline: ProjectOutline) => R,
): Promise<Awaited<R>> => askWithTakes(baker, project.takes, (worker) => ask(worker, outlineOf(project)));

/** Gives up what the worker that bakes does of a kind; one that does not run does nothing. */
const giveUp = (kind: BakeKind): void => void baker.running()?.cancel(kind);

/** Asks the worker that bakes for work of a kind, which is given up when it is cancelled. */
function bakes<R>(
  project: Project,
  kind: BakeKind,
  { signal }: Pick<JobWork, 'signal'>,
  ask: (worker: Remote<BakeApi>, outline: ProjectOutline) => Promise<R | undefined>,
): Promise<R | undefined> {
  signal.addEventListener('abort', () => giveUp(kind));
  return askBaker(project, async (worker, outline) => (signal.aborted ? undefined : ask(worker, outline)));
}

/** Bakes a range to a file off the main thread. Undefined where it is cancelled. */
export function bakeToFile(
  project: Project,
  job: Omit<BakeJob, 'figure'>,
  own: JobWork,
): Promise<Baked | undefined> {
  const { onCharacter } = writtenKind(job.format).writes;
  const { figure: file } = project.scene.characters[job.character ?? 0];
  const figure = onCharacter ? file?.bytes : undefined;
  return bakes(project, 'file', own, (worker, outline) =>
    worker.bake(outline, { ...job, figure }, proxy(own.onProgress)),
  );
}

/** Bakes a range into the project, off the page. Undefined where it is cancelled. */
export const bakeIntoProject = (
  project: Project,
  job: BakeInJob,
  own: JobWork,
): Promise<BakedIn | undefined> =>
  bakes(project, 'project', own, (worker, outline) => worker.bakeIn(outline, job, proxy(own.onProgress)));

/** What the difference of a take from the base is made of, worked out off the page. */
export const explainTake = (project: Project, take: string): Promise<Explained> =>
  askBaker(project, (worker, outline) => worker.explained(outline, take));

/** Layers over the base that give a take, worked out off the page. Undefined where it is cancelled. */
export const takeIntoLayers = (
  project: Project,
  take: string,
  count: number,
  own: JobWork,
): Promise<ApartLayers | undefined> =>
  bakes(project, 'apart', own, (worker, outline) =>
    worker.apart(outline, take, count, proxy(own.onProgress)),
  );

/** Tells few keys for limits around some, as they are found, until it is cancelled or another chart is asked. */
export const chartKeys = (
  project: Project,
  job: ChartJob,
  found: (point: KeysPoint) => void,
  signal: AbortSignal,
): Promise<void> =>
  bakes(project, 'chart', { signal }, (worker, outline) => worker.chart(outline, job, proxy(found)));

/** Works out what a run of layers becomes, off the page. Undefined where it is cancelled, or asked anew. */
export const mergeRun = (project: Project, job: RunJob, own: JobWork): Promise<MergedRun | undefined> =>
  bakes(project, 'merge', own, (worker, outline) => worker.merge(outline, job, proxy(own.onProgress)));

/** Lets the workers go of all samples but those of some takes: what no open project shows any more. */
export function keepSamplesOf(takes: readonly Take[]): void {
  keepTakes(baker, takes);
  keepTakes(checker, takes);
}
