import { type Layer, newLayer, type Project, type Take, takeOf } from '@evlay/core';
import {
  FileError,
  type FindFile,
  layerText,
  parseProjectJson,
  type ReadProject,
  RIG_FILE,
  readAnyTake,
  readStack,
  readStackAgain,
  takeKey,
  tellingFind,
} from '@evlay/core/format';
import { type KeptState, wholeOf } from '../storage/record.js';
import type { FoundState, Loaded } from '../storage/storage.js';

/** A project with the steps before and after it. */
export interface Remembered extends ReadProject {
  readonly past: readonly Project[];
  readonly future: readonly Project[];
  /** What each of them is kept as, from the first step to the last; undefined for one of an earlier form. */
  readonly kept: readonly (KeptState | undefined)[];
}

/** A step of a history that was read. */
interface Step {
  readonly project: Project;
  readonly kept: KeptState | undefined;
}

const keptIn = (state: FoundState): KeptState | undefined => ('version' in state ? state : undefined);

/** Layers that were read, by what they are kept as: steps that share one share the object. */
type ReadLayers = Map<string, Layer>;

/**
 * The project with layers that were read before in place of its own, where they say the same. The ease of new keys stands
 * beside the stack, and which take a file is may be another in each step.
 */
function sharing(project: Project, state: FoundState, read: ReadLayers): Project {
  const kept = keptIn(state);
  if (!kept || kept.layers.length !== project.layers.length) return project;
  return {
    ...project,
    layers: project.layers.map((layer, k) => {
      const known = read.get(kept.layers[k]);
      if (known && takeOf(known)?.take === takeOf(layer)?.take)
        return known.ease === layer.ease ? known : { ...known, ease: layer.ease };
      read.set(kept.layers[k], layer);
      return layer;
    }),
  };
}

/** What stands in a stack for a layer that was read before: all that others of the stack look at, and none of its curves. */
function standIn(layer: Layer): string {
  const { id, name, mode, axes, group } = layer;
  return layerText(newLayer(name, mode, { id, axes, group }), [], () => '');
}

const jsonIn = (text: string) => parseProjectJson(new TextEncoder().encode(text)).json;

/** The steps of a history as projects; those that cannot be read are left behind, the project is not. */
async function remembered(
  states: readonly FoundState[],
  { project, stored, raw, find, read }: Reading,
): Promise<Step[]> {
  const found: Step[] = [];
  for (const state of states) {
    try {
      const {
        name,
        stack,
        json: text,
      } = wholeOf(
        state,
        (digest) => stored.pieces.get(digest),
        (list) => {
          const known = read.get(list);
          return known && !takeOf(known) ? standIn(known) : undefined;
        },
      )!;
      const json = jsonIn(text);
      // A step before or after may have a take that the project does not have now.
      for (const entry of json?.takes ?? []) {
        const file = stored.files.get(entry.file);
        if (raw.has(takeKey(entry)) || !file) continue;
        const { take } = await readAnyTake(file.file, file.bytes, entry.clip, entry.file);
        raw.set(takeKey(entry), take);
      }
      const step = readStackAgain(new TextEncoder().encode(stack), name, project, raw, json, find);
      found.push({ project: sharing(step, state, read), kept: keptIn(state) });
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
    }
  }
  return found;
}

/** What the steps of a history are read with. */
interface Reading {
  readonly project: Project;
  readonly stored: Loaded;
  readonly raw: Map<string, Take>;
  readonly find: FindFile;
  readonly read: ReadLayers;
}

/**
 * Reads a project that is kept in this browser, with its history. Where something of it is lost, what is left is read
 * and the warnings say what is missing. `onProgress` is told what part of its files is read. Throws {@link FileError} where nothing is left.
 */
export async function readStoredProject(
  stored: Loaded,
  onProgress?: (done: number) => void,
): Promise<Remembered> {
  const { state, past, lost } = stored;
  try {
    return await readState(stored, onProgress);
  } catch (error) {
    // A state that cannot be read leaves the ones before it.
    const before = past.at(-1);
    if (!(error instanceof FileError) || !state || !before) throw error;
    const said = `its last state cannot be read (${error.message}): the one before it is shown`;
    const left = {
      ...stored,
      state: before,
      past: past.slice(0, -1),
      lost: [...lost.filter((one) => !/last state/.test(one)), said],
    };
    return readStoredProject(left, onProgress);
  }
}

async function readState(stored: Loaded, onProgress?: (done: number) => void): Promise<Remembered> {
  const { record, state, past, future, files, lost } = stored;
  if (!record || !state)
    throw new FileError(record?.name ?? 'The project', `${lost.join(', and ')}; nothing is left to open`);
  const find: FindFile = (name) => {
    const id = name === RIG_FILE ? record.character?.id : name;
    const file = id === undefined ? undefined : files.get(id);
    return file && { bytes: file.bytes, id, file: file.file };
  };
  const whole = wholeOf(state, (digest) => stored.pieces.get(digest))!;
  const json = jsonIn(whole.json);
  const raw = new Map<string, Take>();
  const all = [...files.values()].reduce((sum, { bytes }) => sum + bytes.length, 0);
  const result = await readStack(
    new TextEncoder().encode(whole.stack),
    record.name,
    tellingFind(find, all, onProgress),
    json && { ...json, name: record.name },
    lost.length > 0,
    raw,
  );
  const read: ReadLayers = new Map();
  const project = sharing(result.project, state, read);
  const reading: Reading = { project, stored, raw, find, read };
  const [before, after] = [await remembered(past, reading), await remembered(future, reading)];
  return {
    ...result,
    project,
    warnings: lost.length > 0 ? [...lost, ...result.warnings] : [],
    past: before.map((step) => step.project),
    future: after.map((step) => step.project),
    kept: [...before.map((step) => step.kept), keptIn(state), ...after.map((step) => step.kept)],
  };
}
