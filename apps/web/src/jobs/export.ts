import type { Project } from '@evlay/core';
import type { AttachedReference } from '@evlay/core/format';
import { type Job, startJob, supervised } from '@evlay/core/job';
import { proxy, transfer } from 'comlink';
import { strToU8, zipSync } from 'fflate';
import { wholeOf } from '../storage/record.js';
import { loadProject } from '../storage/storage.js';
import { startWorker } from '../workers/host.js';
import { withoutSamples } from '../workers/outline.js';
import type { PackApi } from '../workers/pack.worker.js';
import { askImporter } from './workers.js';

/** Writes a project file off the page, with the references that go along. */
export const packProject = (
  project: Project,
  references: readonly AttachedReference[] = [],
): Job<Uint8Array<ArrayBuffer>> =>
  startJob('Writing the project file', async ({ signal, onProgress }) => {
    const packer = supervised(
      'writes project files',
      startWorker<PackApi>(
        () => new Worker(new URL('../workers/pack.worker.ts', import.meta.url), { type: 'module' }),
      ),
    );
    signal.addEventListener('abort', packer.end);
    try {
      return await packer.ask((port) => port.pack(withoutSamples(project), references, proxy(onProgress)));
    } finally {
      packer.end();
    }
  });

/** Reads a project that is kept in this browser, without opening it. */
export async function readStored(
  id: string,
): Promise<{ readonly project: Project } | { readonly refused: string }> {
  const stored = await loadProject(id);
  if (!stored) return { refused: 'There is no such project in this browser.' };
  const buffers = [...stored.files.values()].map(({ bytes }) => bytes.buffer as ArrayBuffer);
  const read = await askImporter((worker) => worker.loadStored(transfer(stored, buffers)));
  if (!read) return { refused: 'It was cancelled.' };
  return 'refused' in read ? read : { project: read.project };
}

/** What is there of a project that cannot be read, as a zip of its pieces. Undefined where there is nothing. */
export async function rescued(id: string): Promise<Uint8Array<ArrayBuffer> | undefined> {
  const stored = await loadProject(id);
  if (!stored) return undefined;
  const pieces: Record<string, Uint8Array> = {};
  const states = [stored.state, ...stored.past, ...stored.future].flatMap((state) => state ?? []);
  for (const [k, state] of states.entries()) {
    const { stack, json } = wholeOf(state, (digest) => stored.pieces.get(digest))!;
    pieces[`state-${k}/stack.json`] = strToU8(stack);
    pieces[`state-${k}/project.json`] = strToU8(json);
  }
  for (const [name, { file, bytes }] of stored.files)
    pieces[`files/${name}-${file.replace(/^.*\//, '')}`] = bytes;
  return Object.keys(pieces).length > 0 ? (zipSync(pieces) as Uint8Array<ArrayBuffer>) : undefined;
}
