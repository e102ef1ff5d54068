import type { Project, Take } from '@evlay/core';
import { proxy, type Remote, transfer, wrap } from 'comlink';
import type { ApartLayers, Explained } from '../workers/apart.js';
import type {
  BakeApi,
  Baked,
  BakedIn,
  BakeInJob,
  BakeJob,
  ChartJob,
  KeysPoint,
} from '../workers/bake.worker.js';
import type { CheckApi } from '../workers/check.worker.js';
import type { TakesApi } from '../workers/held-takes.js';
import type { ImportApi } from '../workers/import.worker.js';
import type { MergeJob, MergeResult } from '../workers/merge.js';
import { outlineOf, type ProjectOutline, samplesId, TRACK_KINDS, takeOutline } from '../workers/outline.js';

let importer: Remote<ImportApi> | undefined;
let baker: Remote<BakeApi> | undefined;

let importThread: Worker | undefined;
/** Ends of what the worker that reads files is asked for now. */
const unanswered = new Set<() => void>();

/** Asks the worker that reads files, which lives as long as the page. Undefined where it is cancelled. */
export async function askImporter<R>(ask: (worker: Remote<ImportApi>) => R): Promise<Awaited<R> | undefined> {
  importThread ??= new Worker(new URL('../workers/import.worker.ts', import.meta.url), { type: 'module' });
  importer ??= wrap<ImportApi>(importThread);
  let end = () => {};
  const cancelled = new Promise<undefined>((resolve) => {
    end = () => resolve(undefined);
  });
  unanswered.add(end);
  try {
    return await Promise.race([ask(importer), cancelled]);
  } finally {
    unanswered.delete(end);
  }
}

/** Stops reading at once, in the middle of a file; the next file has a worker of its own. */
export function cancelImport(): void {
  importThread?.terminate();
  importThread = undefined;
  importer = undefined;
  for (const end of unanswered) end();
}

function bakeWorker(): Remote<BakeApi> {
  baker ??= wrap<BakeApi>(
    new Worker(new URL('../workers/bake.worker.ts', import.meta.url), { type: 'module' }),
  );
  return baker;
}

/** Numbers that are sent at once: half a megabyte, which copies in no time. */
const SENT_AT_ONCE = 65536;

/** Sends takes to a worker, each once, in pieces, so that a long one does not hold up the page. */
function takeSender(worker: () => Remote<TakesApi>) {
  const held = new Set<string>();
  let sending = Promise.resolve();
  const send = async (takes: readonly Take[]) => {
    for (const take of takes) {
      const samples = samplesId(take);
      if (held.has(samples)) continue;
      await worker().hold(samples, takeOutline(take));
      for (const kind of TRACK_KINDS) {
        const { values } = take[kind];
        for (let at = 0; at < values.length; at += SENT_AT_ONCE) {
          const piece = values.slice(at, at + SENT_AT_ONCE);
          await worker().fill(samples, kind, at, transfer(piece, [piece.buffer]));
        }
      }
      held.add(samples);
    }
  };
  return {
    /** Sends those that are not there yet; one call after the other. */
    send: (takes: readonly Take[]): Promise<void> => {
      sending = sending.catch(() => undefined).then(() => send(takes));
      return sending;
    },
    /** Lets go of all but some. */
    keep(takes: readonly Take[]): void {
      const kept = takes.map(samplesId);
      if ([...held].every((samples) => kept.includes(samples))) return;
      for (const samples of [...held]) if (!kept.includes(samples)) held.delete(samples);
      void worker().keep(kept);
    },
  };
}

const toBaker = takeSender(() => bakeWorker());

let checker: Remote<CheckApi> | undefined;

function checkWorker(): Remote<CheckApi> {
  checker ??= wrap<CheckApi>(
    new Worker(new URL('../workers/check.worker.ts', import.meta.url), { type: 'module' }),
  );
  return checker;
}

const toChecker = takeSender(() => checkWorker());

/** Asks the worker that checks motion about a project, whose takes it is sent first. */
export async function askChecker<R>(
  project: Project,
  ask: (worker: Remote<CheckApi>, outline: ProjectOutline) => R,
): Promise<Awaited<R>> {
  await toChecker.send(project.takes);
  return await ask(checkWorker(), outlineOf(project));
}

/** Lets go of the bake that is under way. */
let letGo: (() => void) | undefined;

/**
 * Bakes a range to a file off the main thread; a take is sent over once. Undefined as soon as it is cancelled: what
 * the worker still brings to its end is not waited for.
 */
export function bakeToFile(
  project: Project,
  job: Omit<BakeJob, 'character'>,
  onProgress: (done: number) => void,
): Promise<Baked | undefined> {
  let going = true;
  const cancelled = new Promise<undefined>((resolve) => {
    letGo = () => {
      going = false;
      resolve(undefined);
    };
  });
  const told = (done: number) => {
    if (going) onProgress(done);
  };
  const baked = async () => {
    const worker = bakeWorker();
    keepSamplesOf(project.takes);
    await toBaker.send(project.takes);
    const character = job.format === 'glb' ? project.character?.bytes : undefined;
    return going ? worker.bake(outlineOf(project), { ...job, character }, proxy(told)) : undefined;
  };
  return Promise.race([baked(), cancelled]);
}

/** Gives up what a run of layers would become. */
export const giveUpMerge = (): void => void bakeWorker().cancel();

/** What the difference of a take from the base is made of, worked out off the page. */
export async function explainTake(project: Project, take: string): Promise<Explained> {
  const worker = bakeWorker();
  await toBaker.send(project.takes);
  return await worker.explained(outlineOf(project), take);
}

/** Layers over the base that give a take, worked out off the page. Undefined where it is given up. */
export async function takeIntoLayers(
  project: Project,
  take: string,
  count: number,
  onProgress: (done: number) => void,
): Promise<ApartLayers | undefined> {
  const worker = bakeWorker();
  await toBaker.send(project.takes);
  return await worker.apart(outlineOf(project), take, count, proxy(onProgress));
}

/** Bakes a range into the project, off the page. Undefined where it is given up. */
export async function bakeIntoProject(
  project: Project,
  job: BakeInJob,
  onProgress: (done: number) => void,
): Promise<BakedIn | undefined> {
  const worker = bakeWorker();
  await toBaker.send(project.takes);
  return await worker.bakeIn(outlineOf(project), job, proxy(onProgress));
}

/** Tells few keys for limits around some, as they are found, until something else is asked. */
export async function chartKeys(
  project: Project,
  job: ChartJob,
  found: (point: KeysPoint) => void,
): Promise<void> {
  const worker = bakeWorker();
  await toBaker.send(project.takes);
  await worker.chart(outlineOf(project), job, proxy(found));
}

/** Works out what a run of layers becomes, off the page. Undefined where it is given up, or asked anew. */
export async function mergeRun(
  project: Project,
  job: MergeJob,
  onProgress: (done: number) => void,
): Promise<MergeResult | undefined> {
  const worker = bakeWorker();
  await toBaker.send(project.takes);
  return await worker.merge(outlineOf(project), job, proxy(onProgress));
}

/** Lets the workers go of all samples but those of some takes: what no open project shows any more. */
export function keepSamplesOf(takes: readonly Take[]): void {
  if (baker) toBaker.keep(takes);
  if (checker) toChecker.keep(takes);
}

export function cancelBake(): void {
  letGo?.();
  void bakeWorker().cancel();
}
