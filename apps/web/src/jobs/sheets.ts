import type { Project } from '@evlay/core';
import { putKit, takeAsProject } from '@evlay/core/edit';
import { readKit } from '@evlay/core/format';
import { type Job, type JobWork, startJob, supervised } from '@evlay/core/job';
import type { KeyLimits } from '@evlay/core/keys';
import { proxy, type Remote } from 'comlink';
import { strToU8, zipSync } from 'fflate';
import { createStore } from 'zustand/vanilla';
import type { Editor } from '../editor/editor.js';
import { putSheet, readSheets, removeSheet, type Sheet, type SheetEntry } from '../storage/sheets.js';
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';
import type { ApplyApi } from '../workers/apply.worker.js';
import type { KeysFacts } from '../workers/bake.worker.js';
import { askWithTakes, startWorker } from '../workers/host.js';
import { outlineOf } from '../workers/outline.js';
import { readStored } from './export.js';
import { bakeToFile } from './workers.js';

/** Sheets by the project that they are of, what is worked on for one, and what came of the last bake, by take. */
interface Sheets {
  readonly sheets: ReadonlyMap<string, Sheet>;
  readonly job: Job<unknown> | undefined;
  readonly baked: ReadonlyMap<string, KeysFacts>;
}

export const sheetStore = createStore<Sheets>(() => ({
  sheets: new Map(),
  job: undefined,
  baked: new Map(),
}));

let reading: Promise<void> | undefined;

/** Reads the sheets that this browser keeps, once. */
export function openSheets(): Promise<void> {
  reading ??= readSheets()
    .then((found) =>
      sheetStore.setState(({ sheets }) => ({
        sheets: new Map([...found.map((one) => [one.of, one] as const), ...sheets]),
      })),
    )
    .catch(() => undefined);
  return reading;
}

/** Shows a sheet in another state, and keeps it. */
function show(sheet: Sheet): void {
  sheetStore.setState(({ sheets }) => ({ sheets: new Map(sheets).set(sheet.of, sheet) }));
  putSheet(sheet).catch((error: unknown) =>
    notify({ title: 'The sheet is not kept', text: storageReason(error), alarm: true }),
  );
}

const sheetOf = (of: string): Sheet | undefined => sheetStore.getState().sheets.get(of);

function changeEntry(of: string, take: string, values: Partial<SheetEntry>): void {
  const sheet = sheetOf(of);
  if (!sheet) return;
  show({
    ...sheet,
    entries: sheet.entries.map((entry) => (entry.take === take ? { ...entry, ...values } : entry)),
  });
}

/** The sheet in which a project is what a take was opened as. */
export const sheetWith = (project: string): Sheet | undefined =>
  [...sheetStore.getState().sheets.values()].find(({ entries }) =>
    entries.some((entry) => entry.project === project),
  );

const newWorker = () =>
  supervised(
    'puts kits on takes',
    startWorker<ApplyApi>(
      () => new Worker(new URL('../workers/apply.worker.ts', import.meta.url), { type: 'module' }),
    ),
  );

/** Workers that share takes; more do not help, since each holds what it works on. */
const MOST_WORKERS = 4;

/** Puts a kit on takes of the open project, in workers, and shows what comes of each in its sheet. */
export function startSheet(
  editor: Editor,
  kit: Sheet['kit'],
  takes: readonly { id: string; name: string }[],
): void {
  const of = editor.id;
  const project = editor.history.project();
  sheetStore.getState().job?.cancel();
  const entries = takes.map(({ id, name }): SheetEntry => ({ take: id, name, state: 'waiting' }));
  show({ of, projectName: project.name, kit, entries });
  work(of, 'Putting the kit on', (own) => applyAll(of, project, kit, own));
}

/** Begins work for a sheet; it is the only one. */
function work(of: string, name: string, does: (own: JobWork) => Promise<unknown>): void {
  const job = startJob(name, async (own) => {
    await does(own);
    return of;
  });
  sheetStore.setState({ job });
  void job.result
    .catch((error: Error) =>
      notify({ title: 'Not all of the sheet was done', text: error.message, alarm: true }),
    )
    .finally(() => {
      if (sheetStore.getState().job === job) sheetStore.setState({ job: undefined });
    });
}

async function applyAll(
  of: string,
  project: Project,
  kit: Sheet['kit'],
  { signal, onProgress }: JobWork,
): Promise<void> {
  const waiting = [...(sheetOf(of)?.entries ?? [])].filter(({ state }) => state === 'waiting');
  const parts = waiting.map(() => 0);
  const tell = () => onProgress(parts.reduce((sum, part) => sum + part, 0) / Math.max(1, parts.length));
  let next = 0;
  const count = Math.max(1, Math.min(MOST_WORKERS, navigator.hardwareConcurrency, waiting.length));
  await Promise.all(
    Array.from({ length: count }, async () => {
      const worker = newWorker();
      signal.addEventListener('abort', worker.end);
      try {
        while (next < waiting.length && !signal.aborted) {
          const k = next++;
          const { take } = waiting[k];
          const own = takeAsProject(project, take);
          if (!own)
            changeEntry(of, take, {
              state: 'failed',
              reason: 'it does not play on the character: fit it first',
            });
          else {
            try {
              const applied = await askWithTakes(worker, own.takes, (port: Remote<ApplyApi>) =>
                port.apply(
                  outlineOf(own),
                  kit,
                  proxy((part: number) => {
                    parts[k] = part;
                    tell();
                  }),
                ),
              );
              if (signal.aborted) return;
              changeEntry(of, take, { state: 'done', applied });
            } catch (error) {
              if (signal.aborted) return;
              changeEntry(of, take, { state: 'failed', reason: (error as Error).message });
            }
          }
          parts[k] = 1;
          tell();
        }
      } finally {
        worker.end();
      }
    }),
  );
}

/** Goes on with what of a sheet was not done. */
export function goOnWithSheet(editor: Editor): void {
  const sheet = sheetOf(editor.id);
  if (sheet)
    work(sheet.of, 'Putting the kit on', (own) =>
      applyAll(sheet.of, editor.history.project(), sheet.kit, own),
    );
}

/** The project that a kit makes of a take. */
export async function entryProject(
  project: Project,
  { kit }: Sheet,
  take: string,
): Promise<Project | undefined> {
  const own = takeAsProject(project, take);
  return own && putKit(own, await readKit(kit.file, kit.bytes)).project;
}

/** Remembers as which project a take of a sheet was opened. */
export const rememberOpened = (of: string, take: string, project: string): void =>
  changeEntry(of, take, { project });

/** Looks anew at takes that were opened as projects, and may have been mended there. */
export async function lookAtOpened(of: string): Promise<void> {
  const opened = sheetOf(of)?.entries.filter(({ project }) => project !== undefined) ?? [];
  if (opened.length === 0) return;
  const worker = newWorker();
  try {
    for (const { take, project: id, applied } of opened) {
      const read = await readStored(id!);
      if ('refused' in read) {
        // It was deleted: the take is again what the kit makes of it.
        changeEntry(of, take, { project: undefined, state: 'waiting' });
        continue;
      }
      const { project } = read;
      const { found, strip } = await askWithTakes(worker, project.takes, (port) =>
        port.look(outlineOf(project)),
      );
      if (applied) changeEntry(of, take, { applied: { ...applied, after: found, strip } });
    }
  } finally {
    worker.end();
  }
}

/** Takes a sheet away; what was opened of it stays. */
export function dropSheet(of: string): void {
  sheetStore.getState().job?.cancel();
  sheetStore.setState(({ sheets }) => {
    const left = new Map(sheets);
    left.delete(of);
    return { sheets: left, baked: new Map() };
  });
  void removeSheet(of);
}

/** How the takes of a sheet are baked. */
export interface SheetBake {
  readonly format: 'glb' | 'bvh';
  /** How far few keys may be off; every sample where missing. */
  readonly limits?: KeyLimits;
}

/** Bakes takes of a sheet, by their ids, to a zip with a manifest; what was mended by hand is baked as it is there. */
export function bakeSheet(
  editor: Editor,
  takes: readonly string[],
  { format, limits }: SheetBake,
  done: (zip: Uint8Array<ArrayBuffer>) => void,
): void {
  const sheet = sheetOf(editor.id);
  if (!sheet) return;
  const origin = editor.history.project();
  const entries = sheet.entries.filter(({ take }) => takes.includes(take));
  work(sheet.of, 'Baking', async ({ signal, onProgress }) => {
    const files: Record<string, Uint8Array> = {};
    const manifest: object[] = [];
    const baked = new Map<string, KeysFacts>();
    for (const [k, entry] of entries.entries()) {
      const project = await bakedProject(origin, sheet, entry);
      const job = { format, name: entry.name, ...(limits && { limits }) };
      const part = (own: number) => onProgress((k + own) / entries.length);
      const result = await bakeToFile(project, job, { signal, onProgress: part });
      if (!result || signal.aborted) return;
      const file = freeFile(entry.name, format, files);
      files[file] = new Uint8Array(await result.file.arrayBuffer());
      if (result.keys) baked.set(entry.take, result.keys);
      manifest.push(manifestOf(entry, file, result));
    }
    sheetStore.setState({ baked });
    const text = {
      format: 'evlay-manifest',
      version: 1,
      kit: sheet.kit.name,
      project: sheet.projectName,
      takes: manifest,
    };
    files['manifest.json'] = strToU8(`${JSON.stringify(text, null, 2)}\n`);
    done(zipSync(files, { level: 1 }) as Uint8Array<ArrayBuffer>);
  });
}

async function bakedProject(
  origin: Project,
  sheet: Sheet,
  { take, name, project: id }: SheetEntry,
): Promise<Project> {
  if (id !== undefined) {
    const read = await readStored(id);
    if ('refused' in read) throw new Error(`${name}: ${read.refused}`);
    return read.project;
  }
  const made = await entryProject(origin, sheet, take);
  if (!made) throw new Error(`${name} does not play on the character: fit it first.`);
  return made;
}

function freeFile(name: string, ending: string, used: Record<string, unknown>): string {
  const stem = name.replace(/[^\p{L}\p{N} ._-]+/gu, ' ').trim() || 'take';
  let file = `${stem}.${ending}`;
  for (let k = 2; file in used; k++) file = `${stem} ${k}.${ending}`;
  return file;
}

/** What a manifest says of a file. */
const manifestOf = (
  { name, applied, project }: SheetEntry,
  file: string,
  { frames, interval, warnings, keys }: NonNullable<Awaited<ReturnType<typeof bakeToFile>>>,
): object => ({
  file,
  take: name,
  frames,
  fps: Number((1 / interval).toFixed(6)),
  changedByHand: project !== undefined,
  before: applied?.before ?? [],
  after: applied?.after ?? [],
  ...(keys && {
    keys: { before: keys.before, after: keys.after, length: keys.error.length, degrees: keys.error.angle },
  }),
  warnings,
});
