import { newId } from '@evlay/core';
import localforage from 'localforage';
import { sharing, sweeping } from './locks.js';
import { freeName } from './names.js';
import { namedIn, piecesOf } from './pieces.js';
import {
  type KeptState,
  type Known,
  knownBy,
  listsOf,
  NOTHING_KNOWN,
  namedBy,
  type ProjectRecord,
  readKept,
  readRecord,
  type Save,
  type StoredState,
  salvaged,
} from './record.js';
import { putReferences, readReferences, sweepReferences } from './references.js';
import { dropUnsaved, unsavedSaves } from './unsaved.js';

/**
 * What this browser keeps. Files, states of projects and the pieces of states are written once, under the digest of what
 * they contain, and never change. A save writes what is new and then the small record that names it: that write is the commit, so that a
 * browser that ends at any moment leaves the project before it or the one after it.
 */
const NAME = 'evlay';
const records = localforage.createInstance({ name: NAME, storeName: 'projects' });
const states = localforage.createInstance({ name: NAME, storeName: 'states' });
const pieces = localforage.createInstance({ name: NAME, storeName: 'pieces' });
const files = localforage.createInstance({ name: NAME, storeName: 'files' });
const pictures = localforage.createInstance({ name: NAME, storeName: 'pictures' });

/** Writes what is not known to be there. What is written once more says the same. */
async function writeNew<T>(
  store: LocalForage,
  wanted: ReadonlyMap<string, T>,
  there: ReadonlySet<string>,
): Promise<void> {
  await Promise.all(
    [...wanted].flatMap(([digest, value]) => (there.has(digest) ? [] : [store.setItem(digest, value)])),
  );
}

/** Bytes of a file that are kept as one value: browsers take no value much larger than a hundred megabytes. */
const PIECE = 32 * 1024 * 1024;

/** What stands for a file that is kept in pieces, each under the file's digest with its place behind it. */
interface Pieces {
  readonly pieces: number;
}

const pieceKey = (digest: string, k: number): string => `${digest}/${k}`;
const digestOfKey = (key: string): string => key.split('/')[0];

/** Writes files that are not there; of a large one its pieces, and then what says how many there are. */
async function writeFiles(
  wanted: ReadonlyMap<string, Uint8Array>,
  known: ReadonlySet<string> = NOTHING_KNOWN.files,
): Promise<void> {
  const missing = [...wanted].filter(([digest]) => !known.has(digest));
  if (missing.length === 0) return;
  const there = new Set(await files.keys());
  for (const [digest, bytes] of missing) {
    if (there.has(digest)) continue;
    const pieces = Math.ceil(bytes.length / PIECE);
    if (pieces <= 1) {
      await files.setItem(digest, bytes);
      continue;
    }
    for (let k = 0; k < pieces; k++)
      if (!there.has(pieceKey(digest, k)))
        await files.setItem(pieceKey(digest, k), bytes.slice(PIECE * k, PIECE * (k + 1)));
    await files.setItem<Pieces>(digest, { pieces });
  }
}

/** A file as it was put away; undefined where it, or a piece of it, cannot be read. */
async function readFile(digest: string): Promise<Uint8Array | undefined> {
  const found = await files.getItem<unknown>(digest);
  if (found instanceof Uint8Array) return found;
  const { pieces } = (found ?? {}) as Partial<Pieces>;
  if (typeof pieces !== 'number') return undefined;
  const all: Uint8Array[] = [];
  for (let k = 0; k < pieces; k++) {
    const piece = await files.getItem<unknown>(pieceKey(digest, k));
    if (!(piece instanceof Uint8Array)) return undefined;
    all.push(piece);
  }
  const bytes = new Uint8Array(all.reduce((sum, piece) => sum + piece.length, 0));
  let at = 0;
  for (const piece of all) {
    bytes.set(piece, at);
    at += piece.length;
  }
  return bytes;
}

/** Writes files ahead of the save that names them. The caller shares the store until then. */
export const putFiles = (wanted: ReadonlyMap<string, Uint8Array>): Promise<void> => writeFiles(wanted);

/**
 * Saves a project, and says what is known to be there afterwards: what its record names is never swept away. `known` is what
 * the save before it of the same project said. Throws where storage does not take it; then what was saved before is as it was.
 */
export const save = (wanted: Save, known: Known = NOTHING_KNOWN): Promise<Known> =>
  sharing(async () => {
    await writeFiles(wanted.files, known.files);
    await writeNew(pieces, wanted.pieces, known.pieces);
    await writeNew(states, wanted.states, known.states);
    await records.setItem(wanted.record.id, wanted.record);
    dropUnsaved(wanted.record.id, wanted.record.saved);
    return knownBy(wanted);
  });

/** Puts away what pages wrote down when they were left, where that is newer. */
async function takeIn(): Promise<void> {
  for (const { record, states: left, pieces: texts } of unsavedSaves()) {
    const before = readRecord(await records.getItem(record.id));
    if (!before || before.saved < record.saved) {
      await writeNew(pieces, texts, NOTHING_KNOWN.pieces);
      await writeNew(states, left, NOTHING_KNOWN.states);
      await records.setItem(record.id, record);
    }
    dropUnsaved(record.id, record.saved);
  }
}

/** A project as the list shows it. One whose record cannot be read is listed as damaged. */
export interface Listed {
  readonly id: string;
  readonly name: string;
  readonly saved: number;
  readonly damaged: boolean;
  /** A small picture as a data URL. */
  readonly picture?: string;
  /** Its layers above the base, and seconds of its range, where that was written down. */
  readonly layers?: number;
  readonly seconds?: number;
}

/** All projects of this browser that are not deleted, the last saved first. */
export const listProjects = (): Promise<Listed[]> =>
  sharing(async () => {
    await takeIn();
    const found: Listed[] = [];
    const pictured = new Map<string, string>();
    await pictures.iterate<unknown, void>((picture, id) => {
      if (typeof picture === 'string') pictured.set(id, picture);
    });
    await records.iterate<unknown, void>((value, id) => {
      const record = readRecord(value);
      if (record?.deleted !== undefined) return;
      found.push({
        id,
        name: record?.name ?? nameIn(value),
        saved: record?.saved ?? 0,
        damaged: record === undefined,
        picture: pictured.get(id),
        layers: record?.layers,
        seconds: record?.seconds,
      });
    });
    return found.sort((a, b) => b.saved - a.saved);
  });

/** The name in a record that cannot be read, if it still has one. */
function nameIn(value: unknown): string {
  const name = (value as { name?: unknown } | null)?.name;
  return typeof name === 'string' && name !== '' ? name : 'Damaged project';
}

/** A state as it was found: as it is kept, or whole in the form of earlier versions. */
export type FoundState = KeptState | StoredState;

/** What is there of a project: its states with their pieces and its files, and in words what is not. */
export interface Loaded {
  readonly id: string;
  readonly record: ProjectRecord | undefined;
  /** The state that was saved, or the last one before it that can be read. */
  readonly state: FoundState | undefined;
  readonly past: readonly FoundState[];
  readonly future: readonly FoundState[];
  /** The pieces of all states, by their digests. */
  readonly pieces: ReadonlyMap<string, string>;
  /** By their ids. */
  readonly files: ReadonlyMap<string, { readonly file: string; readonly bytes: Uint8Array }>;
  readonly lost: readonly string[];
}

/** Reads pieces that are not there yet, all at once. */
async function readPieces(digests: readonly string[], to: Map<string, string>): Promise<void> {
  const missing = [...new Set(digests)].filter((digest) => !to.has(digest));
  await Promise.all(
    missing.map(async (digest) => {
      const piece = await pieces.getItem<unknown>(digest).catch(() => undefined);
      if (typeof piece === 'string') to.set(digest, piece);
    }),
  );
}

/** The states of some digests, with their pieces; undefined for those of which anything is missing. */
async function readStates(
  digests: readonly string[],
  texts: Map<string, string>,
): Promise<(FoundState | undefined)[]> {
  const found = await Promise.all(
    digests.map(async (digest) => readKept(await states.getItem(digest).catch(() => null))),
  );
  const lists = new Set(found.flatMap((state) => (state ? listsOf(state) : [])));
  // Level by level: a list of lists first, then those, then texts.
  for (let level = [...lists]; level.length > 0; ) {
    await readPieces(level, texts);
    const below = level.map((list) => namedIn(texts.get(list) ?? '1'));
    await readPieces(
      below.flatMap(({ digests }) => digests),
      texts,
    );
    level = [...new Set(below.flatMap(({ lists: deep, digests }) => (deep ? digests : [])))];
  }
  const whole = new Map(
    [...lists].map((list) => [
      list,
      piecesOf(list, (digest) => texts.get(digest)).every((digest) => texts.has(digest)),
    ]),
  );
  return found.map((state) => (state && listsOf(state).every((list) => whole.get(list)) ? state : undefined));
}

/** Everything of a project that can be read. Undefined where there is no such project. */
export const loadProject = (id: string): Promise<Loaded | undefined> =>
  sharing(async () => {
    await takeIn();
    const value = await records.getItem(id);
    const whole = readRecord(value);
    if (value === null || whole?.deleted !== undefined) return undefined;
    const lost = whole ? [] : ['part of its record cannot be read'];
    const record = whole ?? salvaged(id, value);
    const texts = new Map<string, string>();
    if (!record)
      return { id, record, state: undefined, past: [], future: [], pieces: texts, files: new Map(), lost };
    const all = await readStates([...record.past, record.state, ...record.future], texts);
    const past = all.slice(0, record.past.length);
    const state = all[record.past.length];
    const future = all.slice(record.past.length + 1);
    // A step that is missing in the middle takes those beyond it along, so that undo goes step by step.
    const before = past.slice(past.lastIndexOf(undefined) + 1) as FoundState[];
    const firstGap = future.indexOf(undefined);
    const after = (firstGap < 0 ? future : future.slice(0, firstGap)) as FoundState[];
    if (!state) lost.push('its last state cannot be read: the one before it is shown');
    if (before.length + after.length < past.length + future.length)
      lost.push('part of its history cannot be read');
    const bytes = new Map<string, { file: string; bytes: Uint8Array }>();
    const wanted = [...record.files, ...(record.character ? [{ ...record.character, file: 'rig.glb' }] : [])];
    for (const { id: file, digest, file: name } of wanted) {
      if (bytes.has(file)) continue;
      const found = await readFile(digest).catch(() => undefined);
      if (found) bytes.set(file, { file: name, bytes: found });
      else lost.push(`the file ${name} cannot be read`);
    }
    return {
      id,
      record,
      state: state ?? before.at(-1) ?? after[0],
      past: state ? before : before.slice(0, -1),
      future: state || before.length > 0 ? after : after.slice(1),
      pieces: texts,
      files: bytes,
      lost,
    };
  });

const change = (id: string, values: Partial<ProjectRecord>): Promise<void> =>
  sharing(async () => {
    const record = readRecord(await records.getItem(id));
    if (!record) throw new Error('There is no such project in this browser any more.');
    await records.setItem(id, { ...record, ...values });
  });

export const renameStored = (id: string, name: string): Promise<void> => change(id, { name });
export const restoreStored = (id: string): Promise<void> => change(id, { deleted: undefined });

/** Marks a project as deleted; one whose record cannot be read is gone at once. */
export const deleteStored = (id: string): Promise<void> =>
  sharing(async () => {
    const record = readRecord(await records.getItem(id));
    if (record) await records.setItem(id, { ...record, deleted: Date.now() });
    else await records.removeItem(id);
  });

/** Copies a project; its states and files are shared with the original. */
export const duplicateStored = (id: string): Promise<void> =>
  sharing(async () => {
    const record = readRecord(await records.getItem(id));
    if (!record) throw new Error('The project cannot be read, so it cannot be copied.');
    const copy = newId();
    const picture = await pictures.getItem(id);
    if (picture) await pictures.setItem(copy, picture);
    await putReferences(copy, await readReferences(id));
    const names = (await listProjects()).map(({ name }) => name);
    const name = freeName(`${record.name} copy`, names);
    await records.setItem(copy, { ...record, id: copy, name, saved: Date.now() });
  });

/** Keeps the small picture of a project, which is no part of its work. */
export const putPicture = async (id: string, picture: string): Promise<void> => {
  await pictures.setItem(id, picture);
};

/** Milliseconds for which a deleted project can be brought back. */
const DELETED_FOR = 24 * 3600 * 1000;

/**
 * Takes away projects that were deleted a day ago, and every state, piece and file that no project names. While a record
 * cannot be read nobody knows what it names, and all states and files stay.
 */
export const sweep = (now = Date.now()): Promise<void> =>
  sweeping(async () => {
    await takeIn();
    const needed = { states: new Set<string>(), files: new Set<string>() };
    const gone: string[] = [];
    let damaged = false;
    const ids = new Set<string>();
    await records.iterate<unknown, void>((value, id) => {
      const record = readRecord(value);
      if (record?.deleted !== undefined && now - record.deleted > DELETED_FOR) gone.push(id);
      else {
        ids.add(id);
        damaged ||= !record;
        for (const digest of record ? namedBy(record).states : []) needed.states.add(digest);
        for (const digest of record ? namedBy(record).files : []) needed.files.add(digest);
      }
    });
    for (const id of gone) await records.removeItem(id);
    for (const id of await pictures.keys()) if (!ids.has(id)) await pictures.removeItem(id);
    await sweepReferences(ids);
    if (damaged) return;
    for (const digest of await states.keys()) if (!needed.states.has(digest)) await states.removeItem(digest);
    // A state that cannot be read names nothing any more.
    const texts = new Map<string, string>();
    const found = await readStates([...needed.states], texts);
    const named = new Set(
      found
        .flatMap((state) => (state ? listsOf(state) : []))
        .flatMap((list) => piecesOf(list, (digest) => texts.get(digest))),
    );
    for (const digest of await pieces.keys()) if (!named.has(digest)) await pieces.removeItem(digest);
    for (const key of await files.keys())
      if (!needed.files.has(digestOfKey(key))) await files.removeItem(key);
  });

/** What storage said, in words for people. */
export function storageReason(error: unknown): string {
  const { name = '', message = '' } = (error ?? {}) as Partial<Error>;
  if (name === 'QuotaExceededError') return 'this browser’s storage is full';
  // As localForage says it where a browser has switched storage off.
  if (/No available storage method/.test(message)) return 'this browser keeps no data for the page';
  return `this browser could not keep it (${[name, message].filter(Boolean).join(': ') || 'it does not say why'})`;
}
