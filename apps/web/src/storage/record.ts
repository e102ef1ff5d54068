import { z } from 'zod';
import { textOf } from './pieces.js';

/** One state of a project: its stack file and its project.json. Takes are named by the ids of their files. */
export interface StoredState {
  readonly name: string;
  readonly stack: string;
  readonly json: string;
}

/** The form in which states are kept today. */
export const VERSION = 2;

/**
 * A state as it is kept: its stack file in front of the layers, each layer, and its project.json, as lists of pieces. Layers
 * and pieces that several states share are kept once.
 */
const keptState = z.object({
  version: z.literal(VERSION),
  name: z.string(),
  head: z.string(),
  layers: z.array(z.string()),
  json: z.string(),
});
export type KeptState = z.infer<typeof keptState>;

/** A state of the first form: its texts as a whole. It is read all the same, and written in today's with the next save. */
const wholeState = z.object({ name: z.string(), stack: z.string(), json: z.string() });

/** What is kept under the digest of a state; undefined where it cannot be read. */
export const readKept = (value: unknown): KeptState | StoredState | undefined =>
  keptState.safeParse(value).data ?? wholeState.safeParse(value).data;

/** The lists of pieces that a kept state names. */
export const listsOf = (state: KeptState | StoredState): string[] =>
  'version' in state ? [state.head, ...state.layers, state.json] : [];

/**
 * A state with its texts whole; undefined where a piece of it is missing. A layer for which `standIn` gives a text, by its
 * list, has that in its place.
 */
export function wholeOf(
  state: KeptState | StoredState,
  pieceOf: (digest: string) => string | undefined,
  standIn: (list: string) => string | undefined = () => undefined,
): StoredState | undefined {
  if (!('version' in state)) return state;
  const [head, json] = [state.head, state.json].map((list) => textOf(list, pieceOf));
  const layers = state.layers.map((list) => standIn(list) ?? textOf(list, pieceOf));
  if (head === undefined || json === undefined || layers.includes(undefined)) return undefined;
  return { name: state.name, stack: head + layers.join(LAYERS.between) + LAYERS.end, json };
}

/** What stands between the layers of a stack file, and behind them. */
const LAYERS = { between: ',\n    ', end: '\n  ]\n}\n' };

const storedFile = z.object({ id: z.string(), file: z.string(), digest: z.string() });
export type StoredFile = z.infer<typeof storedFile>;

/**
 * What names everything that belongs to a project: its states and its files, by their digests. It is small, and
 * writing it is what makes a save count: what it names was written before.
 */
const record = z.object({
  id: z.string(),
  name: z.string(),
  saved: z.number(),
  /** When the project was deleted; it can be brought back for a day. */
  deleted: z.number().optional(),
  state: z.string(),
  past: z.array(z.string()),
  future: z.array(z.string()),
  /** The files that takes came in or were made into, by the id under which the states name them. */
  files: z.array(storedFile),
  character: z.object({ id: z.string(), digest: z.string() }).optional(),
  /** What the list of projects says of it beside its name: its layers above the base, and seconds of its range. */
  layers: z.number().optional(),
  seconds: z.number().optional(),
});
export type ProjectRecord = z.infer<typeof record>;
export const readRecord = (value: unknown): ProjectRecord | undefined => record.safeParse(value).data;

/** What is left of a record that cannot be read as a whole; undefined where it names no state any more. */
export function salvaged(id: string, value: unknown): ProjectRecord | undefined {
  const { shape } = record;
  const part = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  const texts = (list: unknown) =>
    Array.isArray(list) ? list.filter((one): one is string => typeof one === 'string') : [];
  const files = Array.isArray(part.files) ? part.files : [];
  const found: ProjectRecord = {
    id,
    name: shape.name.safeParse(part.name).data ?? 'Damaged project',
    saved: shape.saved.safeParse(part.saved).data ?? 0,
    state: shape.state.safeParse(part.state).data ?? '',
    past: texts(part.past),
    future: texts(part.future),
    files: files.flatMap((file) => storedFile.safeParse(file).data ?? []),
    character: shape.character.safeParse(part.character).data,
  };
  return [found.state, ...found.past, ...found.future].some((digest) => digest !== '') ? found : undefined;
}

/** What of a browser's store is known to be there: all that the last save has named. */
export interface Known {
  readonly states: ReadonlySet<string>;
  /** Pieces and lists of them. */
  readonly pieces: ReadonlySet<string>;
  readonly files: ReadonlySet<string>;
}

export const NOTHING_KNOWN: Known = { states: new Set(), pieces: new Set(), files: new Set() };

/** A record with the states, their pieces and the files that it names: all that a save may have to write. */
export interface Save {
  readonly record: ProjectRecord;
  readonly states: ReadonlyMap<string, KeptState>;
  readonly pieces: ReadonlyMap<string, string>;
  readonly files: ReadonlyMap<string, Uint8Array>;
}

/** What is known to be there once a save is done. */
export const knownBy = ({ states, pieces, files }: Save): Known => ({
  states: new Set(states.keys()),
  pieces: new Set(pieces.keys()),
  files: new Set(files.keys()),
});

/** Digests of all states and files that a record names. */
export const namedBy = ({ state, past, future, files, character }: ProjectRecord) => ({
  states: [state, ...past, ...future],
  files: [...files.map(({ digest }) => digest), ...(character ? [character.digest] : [])],
});
