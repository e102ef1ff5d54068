import type { Project, Take } from '@evlay/core';
import {
  FileError,
  type FindFile,
  parseProjectJson,
  type ReadProject,
  RIG_FILE,
  readAnyTake,
  readStack,
  readStackAgain,
  takeKey,
} from '@evlay/core/format';
import type { StoredState } from '../storage/record.js';
import type { Loaded } from '../storage/storage.js';

/** A project with the steps before and after it. */
export interface Remembered extends ReadProject {
  readonly past: readonly Project[];
  readonly future: readonly Project[];
}

const jsonIn = (text: string) => parseProjectJson(new TextEncoder().encode(text)).json;

/** The steps of a history as projects; those that cannot be read are left behind, the project is not. */
async function remembered(
  states: readonly StoredState[],
  project: Project,
  files: Loaded['files'],
  raw: Map<string, Take>,
  find: FindFile,
): Promise<Project[]> {
  const found: Project[] = [];
  for (const { name, stack, json: text } of states) {
    try {
      const json = jsonIn(text);
      // A step before or after may have a take that the project does not have now.
      for (const entry of json?.takes ?? []) {
        const file = files.get(entry.file);
        if (raw.has(takeKey(entry)) || !file) continue;
        const { take } = await readAnyTake(file.file, file.bytes, entry.clip, entry.file);
        raw.set(takeKey(entry), take);
      }
      found.push(readStackAgain(new TextEncoder().encode(stack), name, project, raw, json, find));
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
    }
  }
  return found;
}

/**
 * Reads a project that is kept in this browser, with its history. Where something of it is lost, what is left is read
 * and the warnings say what is missing. Throws {@link FileError} where nothing is left.
 */
export async function readStoredProject(stored: Loaded): Promise<Remembered> {
  const { state, past, lost } = stored;
  try {
    return await readState(stored);
  } catch (error) {
    // A state that cannot be read leaves the ones before it.
    const before = past.at(-1);
    if (!(error instanceof FileError) || !state || !before) throw error;
    const said = `its last state cannot be read (${error.message}): the one before it is shown`;
    return readStoredProject({
      ...stored,
      state: before,
      past: past.slice(0, -1),
      lost: [...lost.filter((one) => !/last state/.test(one)), said],
    });
  }
}

async function readState(stored: Loaded): Promise<Remembered> {
  const { record, state, past, future, files, lost } = stored;
  if (!record || !state)
    throw new FileError(record?.name ?? 'The project', `${lost.join(', and ')}; nothing is left to open`);
  const find: FindFile = (name) => {
    const id = name === RIG_FILE ? record.character?.id : name;
    const file = id === undefined ? undefined : files.get(id);
    return file && { bytes: file.bytes, id, file: file.file };
  };
  const json = jsonIn(state.json);
  const raw = new Map<string, Take>();
  const read = await readStack(
    new TextEncoder().encode(state.stack),
    record.name,
    find,
    json && { ...json, name: record.name },
    lost.length > 0,
    raw,
  );
  const again = (states: readonly StoredState[]) => remembered(states, read.project, files, raw, find);
  return {
    ...read,
    warnings: lost.length > 0 ? [...lost, ...read.warnings] : [],
    past: await again(past),
    future: await again(future),
  };
}
