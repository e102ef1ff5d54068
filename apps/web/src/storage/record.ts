import { characterIn, figuresIn, type Layer, type Project, type Take, takeOf } from '@evlay/core';
import { layerText, projectJsonText, stackHead } from '@evlay/core/format';
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { inPieces, type PiecedText, piecesOf, textOf } from './pieces.js';

/** One state of a project: its stack file and its project.json. Takes are named by the ids of their files. */
export interface StoredState {
  readonly name: string;
  readonly stack: string;
  readonly json: string;
}

/** The form in which states are kept today. */
const VERSION = 2;

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

/** Steps of the history that are kept over a reload. */
const KEPT_STEPS = 100;

const fileDigests = new WeakMap<Uint8Array, string>();

/** The digest of a file's bytes (SHA-256), worked out once. */
export function digestOf(bytes: Uint8Array): string {
  let digest = fileDigests.get(bytes);
  if (digest === undefined) {
    digest = bytesToHex(sha256(bytes));
    fileDigests.set(bytes, digest);
  }
  return digest;
}

/** Takes over a digest that was worked out elsewhere, so that the page need not go through a large file. */
export const knowDigest = (bytes: Uint8Array, digest: string): void => void fileDigests.set(bytes, digest);

/** The digest of what a state says, from the digests of its pieces. */
export const digestOfState = (state: KeptState): string =>
  bytesToHex(sha256(new TextEncoder().encode(JSON.stringify(state))));

/** A state with the pieces that it is kept in. */
interface Kept {
  readonly digest: string;
  readonly state: KeptState;
  readonly texts: readonly PiecedText[];
}

const keptOf = new WeakMap<Project, Kept>();
/** Layers in pieces, with the takes that they may name. */
const layersInPieces = new WeakMap<Layer, { readonly takes: readonly Take[]; readonly text: PiecedText }>();

function layerInPieces(layer: Layer, takes: readonly Take[], fileOf: (id: string) => string): PiecedText {
  const known = layersInPieces.get(layer);
  if (known && (known.takes === takes || !takeOf(layer))) return known.text;
  const text = inPieces(layerText(layer, takes, fileOf));
  layersInPieces.set(layer, { takes, text });
  return text;
}

function stateOf(project: Project): Kept {
  let known = keptOf.get(project);
  if (!known) {
    // A model of a prop is called by the id of its file.
    const fileOf = (id: string) => project.takes.find((take) => take.id === id)?.source.id ?? id;
    const head = inPieces(stackHead(project, fileOf));
    const layers = project.layers.map((layer) => layerInPieces(layer, project.takes, fileOf));
    const json = inPieces(projectJsonText(project, fileOf));
    const state: KeptState = {
      version: VERSION,
      name: project.name,
      head: head.list,
      layers: layers.map(({ list }) => list),
      json: json.list,
    };
    known = { digest: digestOfState(state), state, texts: [head, ...layers, json] };
    keptOf.set(project, known);
  }
  return known;
}

/** Takes over what a project that was read is kept as, so that it is not put into pieces again. */
export function knowState(
  project: Project,
  state: KeptState,
  pieceOf: (digest: string) => string | undefined,
): void {
  const texts = listsOf(state).map((list): PiecedText => {
    const all = piecesOf(list, pieceOf);
    return { list, pieces: new Map(all.map((digest) => [digest, pieceOf(digest) ?? ''])) };
  });
  keptOf.set(project, { digest: digestOfState(state), state, texts });
  const layers = texts.slice(1, -1);
  for (const [k, layer] of project.layers.entries())
    if (layers[k]) layersInPieces.set(layer, { takes: project.takes, text: layers[k] });
}

/** A take whose samples were not made yet has no file of its own; it is made of its source again. */
const hasFile = ({ source }: Take): boolean => source.bytes.length > 0;

/** All that a save of a project has to have on disk, without waiting for anything. */
export function saveOf(
  id: string,
  project: Project,
  past: readonly Project[] = [],
  future: readonly Project[] = [],
): Save {
  const [before, after] = [past.slice(-KEPT_STEPS), future.slice(0, KEPT_STEPS)];
  const all = [...before, project, ...after];
  const kept = all.map(stateOf);
  const states = new Map(kept.map(({ digest, state }) => [digest, state]));
  const pieces = new Map<string, string>();
  for (const text of new Map(kept.flatMap(({ texts }) => texts.map((one) => [one.list, one]))).values())
    for (const [digest, piece] of text.pieces) pieces.set(digest, piece);
  const files = new Map<string, Uint8Array>();
  const named = new Map<string, StoredFile>();
  // The steps before and after may play takes that the project does not play now.
  for (const { source } of all.flatMap(({ takes }) => takes).filter(hasFile)) {
    if (named.has(source.id)) continue;
    const digest = digestOf(source.bytes);
    named.set(source.id, { id: source.id, file: source.file, digest });
    files.set(digest, source.bytes);
  }
  for (const { model } of all.flatMap(({ scene }) => scene.props)) {
    if (!model || named.has(model.id)) continue;
    const digest = digestOf(model.bytes);
    named.set(model.id, { id: model.id, file: model.file, digest });
    files.set(digest, model.bytes);
  }
  const { figure } = characterIn(project.scene);
  for (const own of all.flatMap(({ scene }) => figuresIn(scene))) files.set(digestOf(own.bytes), own.bytes);
  // The first is named by itself; a state names the files of others by their ids.
  for (const { name, figure: own } of all.flatMap(({ scene }) => scene.characters.slice(1)))
    if (own && !named.has(own.id))
      named.set(own.id, { id: own.id, file: `${name}.glb`, digest: digestOf(own.bytes) });
  return {
    record: {
      id,
      name: project.name,
      saved: Date.now(),
      state: stateOf(project).digest,
      past: before.map((one) => stateOf(one).digest),
      future: after.map((one) => stateOf(one).digest),
      files: [...named.values()],
      layers: project.layers.length - 1,
      seconds: (project.range[1] - project.range[0]) / project.fps,
      ...(figure && { character: { id: figure.id, digest: digestOf(figure.bytes) } }),
    },
    states,
    pieces,
    files,
  };
}

/** Digests of all states and files that a record names. */
export const namedBy = ({ state, past, future, files, character }: ProjectRecord) => ({
  states: [state, ...past, ...future],
  files: [...files.map(({ digest }) => digest), ...(character ? [character.digest] : [])],
});
