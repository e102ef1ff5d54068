import { FileError, projectFromTake, type ReadProject, readProject, readStack, readTake } from '@evlay/core';
import { expose } from 'comlink';
import type { StoredDocument } from '../state/storage.js';

/** What reading gave: the project, or what to tell the user. Errors lose their kind on the way out of a worker. */
export type Outcome = ReadProject | { readonly refused: string };

async function attempt(read: () => ReadProject | Promise<ReadProject>): Promise<Outcome> {
  try {
    return await read();
  } catch (error) {
    if (error instanceof FileError) return { refused: error.message };
    throw error;
  }
}

const api = {
  /** Makes a project of a file that was dropped or chosen. */
  importFile: (name: string, bytes: Uint8Array): Promise<Outcome> =>
    attempt(() => {
      if (/\.evlay$/i.test(name)) return readProject(bytes, name);
      const { take, warnings } = readTake(name, bytes);
      return { project: projectFromTake(take), warnings };
    }),

  /** Reads a project that is kept in this browser. */
  loadStored: (document: StoredDocument, bytes: ReadonlyMap<string, Uint8Array>): Promise<Outcome> =>
    attempt(() =>
      readStack(new TextEncoder().encode(document.stack), document.name, (name) => {
        const asset = document.takes.find((take) => take.file === name)?.asset ?? document.character;
        const found = asset === undefined ? undefined : bytes.get(asset);
        return found && { bytes: found, id: asset };
      }),
    ),
};

export type ImportApi = typeof api;

expose(api);
