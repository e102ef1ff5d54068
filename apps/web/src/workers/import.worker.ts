import {
  FileError,
  type Project,
  projectFromTake,
  type ReadProject,
  readAnyTake,
  readProject,
  readStack,
  readStackAgain,
  type Take,
} from '@evlay/core';
import { expose } from 'comlink';
import type { StoredDocument, StoredHistory, StoredState } from '../state/storage.js';

/** What reading gave: the project, or what to tell the user. Errors lose their kind on the way out of a worker. */
export type Outcome<T = ReadProject> = T | { readonly refused: string };

/** A project with the steps before and after it. */
export interface Remembered extends ReadProject {
  readonly past: readonly Project[];
  readonly future: readonly Project[];
}

async function attempt<T>(read: () => T | Promise<T>): Promise<Outcome<T>> {
  try {
    return await read();
  } catch (error) {
    if (error instanceof FileError) return { refused: error.message };
    throw error;
  }
}

/** The steps of a history as projects; a history that cannot be read is left behind, the project is not. */
async function remembered(
  states: readonly StoredState[],
  project: Project,
  document: StoredDocument,
  bytes: ReadonlyMap<string, Uint8Array>,
): Promise<Project[]> {
  const known = new Set(project.takes.map((take) => take.id));
  try {
    // A step before or after may play a take that the project does not play now.
    const others = await Promise.all(
      document.takes
        .filter(({ asset }) => !known.has(asset) && bytes.has(asset))
        .map(({ file, clip, asset }) => readAnyTake(file, bytes.get(asset)!, clip, asset)),
    );
    const all = { ...project, takes: [...project.takes, ...others.map(({ take }) => take)] };
    return states.map(({ name, stack }) =>
      readStackAgain(new TextEncoder().encode(stack), name, all, (id) => id),
    );
  } catch (error) {
    if (error instanceof FileError) return [];
    throw error;
  }
}

const api = {
  /** Makes a project of a file that was dropped or chosen. */
  importFile: (name: string, bytes: Uint8Array): Promise<Outcome> =>
    attempt(async () => {
      if (/\.evlay$/i.test(name)) return readProject(bytes, name);
      const { take, warnings } = await readAnyTake(name, bytes);
      return { project: projectFromTake(take), warnings };
    }),

  /** Reads a take that is to come into an open project. */
  readTake: (
    name: string,
    bytes: Uint8Array,
  ): Promise<Outcome<{ readonly take: Take; readonly warnings: readonly string[] }>> =>
    attempt(() => readAnyTake(name, bytes)),

  /** Reads a project that is kept in this browser, with its history. */
  loadStored: (
    document: StoredDocument,
    bytes: ReadonlyMap<string, Uint8Array>,
    history: StoredHistory | null,
  ): Promise<Outcome<Remembered>> =>
    attempt(async () => {
      const stack = new TextEncoder().encode(document.stack);
      const read = await readStack(stack, document.name, (name) => {
        const take = document.takes.find(({ asset }) => asset === name);
        const asset = take?.asset ?? document.character;
        const found = asset === undefined ? undefined : bytes.get(asset);
        return found && { bytes: found, id: asset, file: take?.file };
      });
      const again = (states: readonly StoredState[] = []) =>
        remembered(states, read.project, document, bytes);
      return { ...read, past: await again(history?.past), future: await again(history?.future) };
    }),
};

export type ImportApi = typeof api;

expose(api);
