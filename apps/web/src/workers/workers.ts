import type { Project } from '@evlay/core';
import { proxy, type Remote, wrap } from 'comlink';
import type { BakeApi, Baked, BakeJob } from './bake.worker.js';
import type { ImportApi } from './import.worker.js';
import { outlineOf } from './outline.js';

let importer: Remote<ImportApi> | undefined;
let baker: Remote<BakeApi> | undefined;

/** The worker that reads files. It lives as long as the page. */
export function importWorker(): Remote<ImportApi> {
  importer ??= wrap<ImportApi>(
    new Worker(new URL('./import.worker.ts', import.meta.url), { type: 'module' }),
  );
  return importer;
}

function bakeWorker(): Remote<BakeApi> {
  baker ??= wrap<BakeApi>(new Worker(new URL('./bake.worker.ts', import.meta.url), { type: 'module' }));
  return baker;
}

const held = new Set<string>();

/** Bakes a range to a file off the main thread; a take is sent over once. Undefined when it was cancelled. */
export async function bakeToFile(
  project: Project,
  job: Omit<BakeJob, 'skinned'>,
  onProgress: (done: number) => void,
): Promise<Baked | undefined> {
  const worker = bakeWorker();
  for (const take of project.takes) {
    if (held.has(take.id)) continue;
    await worker.hold({ ...take, source: { file: take.source.file, bytes: new Uint8Array() } });
    held.add(take.id);
  }
  const skinned = project.character !== undefined;
  return worker.bake(outlineOf(project), { ...job, skinned }, proxy(onProgress));
}

export const cancelBake = (): Promise<void> => bakeWorker().cancel();
