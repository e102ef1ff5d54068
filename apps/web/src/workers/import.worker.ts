import {
  FileError,
  type Project,
  projectFromTake,
  type ReadProject,
  readProject,
  readStack,
  readStackAgain,
  readTake,
} from '@evlay/core';
import { expose } from 'comlink';
import type { StoredDocument, StoredHistory, StoredState } from '../state/storage.js';

/** What reading gave: the project, or what to tell the user. Errors lose their kind on the way out of a worker. */
export type Outcome<T extends ReadProject = ReadProject> = T | { readonly refused: string };

/** A project with the steps before and after it. */
export interface Remembered extends ReadProject {
  readonly past: readonly Project[];
  readonly future: readonly Project[];
}

async function attempt<T extends ReadProject>(read: () => T | Promise<T>): Promise<Outcome<T>> {
  try {
    return await read();
  } catch (error) {
    if (error instanceof FileError) return { refused: error.message };
    throw error;
  }
}

/** The steps of a history as projects; a history that cannot be read is left behind, the project is not. */
function remembered(states: readonly StoredState[], project: Project, document: StoredDocument): Project[] {
  const fileOf = (id: string) => document.takes.find((take) => take.asset === id)?.file ?? '';
  try {
    return states.map(({ name, stack }) =>
      readStackAgain(new TextEncoder().encode(stack), name, project, fileOf),
    );
  } catch (error) {
    if (error instanceof FileError) return [];
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

  /** Reads a project that is kept in this browser, with its history. */
  loadStored: (
    document: StoredDocument,
    bytes: ReadonlyMap<string, Uint8Array>,
    history: StoredHistory | null,
  ): Promise<Outcome<Remembered>> =>
    attempt(async () => {
      const stack = new TextEncoder().encode(document.stack);
      const read = await readStack(stack, document.name, (name) => {
        const asset = document.takes.find((take) => take.file === name)?.asset ?? document.character;
        const found = asset === undefined ? undefined : bytes.get(asset);
        return found && { bytes: found, id: asset };
      });
      const again = (states: readonly StoredState[] = []) => remembered(states, read.project, document);
      return { ...read, past: again(history?.past), future: again(history?.future) };
    }),
};

export type ImportApi = typeof api;

expose(api);
