import { newId } from '@evlay/core';
import localforage from 'localforage';
import { takeInEarlier } from './earlier.js';
import { sharing, sweeping } from './locks.js';
import { freeName } from './names.js';
import {
  namedBy,
  type ProjectRecord,
  readRecord,
  readState,
  type Save,
  type StoredState,
  salvaged,
} from './record.js';
import { dropUnsaved, unsavedSaves } from './unsaved.js';

/**
 * What this browser keeps. Files and states of projects are written once, under the digest of what they contain, and
 * never change. A save writes what is new and then the small record that names it: that write is the commit, so that a
 * browser that ends at any moment leaves the project before it or the one after it.
 */
const NAME = 'evlay';
const records = localforage.createInstance({ name: NAME, storeName: 'projects' });
const states = localforage.createInstance({ name: NAME, storeName: 'states' });
const files = localforage.createInstance({ name: NAME, storeName: 'files' });
const pictures = localforage.createInstance({ name: NAME, storeName: 'pictures' });

async function writeMissing<T>(store: LocalForage, wanted: ReadonlyMap<string, T>): Promise<void> {
  // What was there before may have been swept away by another tab since.
  const there = new Set(await store.keys());
  for (const [digest, value] of wanted) if (!there.has(digest)) await store.setItem(digest, value);
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
async function writeFiles(wanted: ReadonlyMap<string, Uint8Array>): Promise<void> {
  const there = new Set(await files.keys());
  for (const [digest, bytes] of wanted) {
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
async function readKept(digest: string): Promise<Uint8Array | undefined> {
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
export const putFiles = writeFiles;

/** Saves a project. Throws where storage does not take it; then what was saved before is as it was. */
export const save = (wanted: Save): Promise<void> =>
  sharing(async () => {
    await writeFiles(wanted.files);
    await writeMissing(states, wanted.states);
    await records.setItem(wanted.record.id, wanted.record);
    dropUnsaved(wanted.record.id, wanted.record.saved);
  });

/** Puts away projects of an earlier form, and what pages wrote down when they were left where that is newer. */
async function takeIn(): Promise<void> {
  await takeInEarlier(async ({ record, states: all, files: bytes }, picture) => {
    await writeFiles(bytes);
    await writeMissing(states, all);
    if (picture) await pictures.setItem(record.id, picture);
    await records.setItem(record.id, record);
  });
  for (const { record, states: left } of unsavedSaves()) {
    const before = readRecord(await records.getItem(record.id));
    if (!before || before.saved < record.saved) {
      await writeMissing(states, left);
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
      });
    });
    return found.sort((a, b) => b.saved - a.saved);
  });

/** The name in a record that cannot be read, if it still has one. */
function nameIn(value: unknown): string {
  const name = (value as { name?: unknown } | null)?.name;
  return typeof name === 'string' && name !== '' ? name : 'Damaged project';
}

/** What is there of a project: its states and files, and in words what is not. */
export interface Loaded {
  readonly id: string;
  readonly record: ProjectRecord | undefined;
  /** The state that was saved, or the last one before it that can be read. */
  readonly state: StoredState | undefined;
  readonly past: readonly StoredState[];
  readonly future: readonly StoredState[];
  /** By their ids. */
  readonly files: ReadonlyMap<string, { readonly file: string; readonly bytes: Uint8Array }>;
  readonly lost: readonly string[];
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
    if (!record) return { id, record, state: undefined, past: [], future: [], files: new Map(), lost };
    const all = async (digests: readonly string[]) =>
      Promise.all(digests.map(async (digest) => readState(await states.getItem(digest).catch(() => null))));
    const [[state], past, future] = await Promise.all([
      all([record.state]),
      all(record.past),
      all(record.future),
    ]);
    // A step that is missing in the middle takes those beyond it along, so that undo goes step by step.
    const before = past.slice(past.lastIndexOf(undefined) + 1) as StoredState[];
    const firstGap = future.indexOf(undefined);
    const after = (firstGap < 0 ? future : future.slice(0, firstGap)) as StoredState[];
    if (!state) lost.push('its last state cannot be read: the one before it is shown');
    if (before.length + after.length < past.length + future.length)
      lost.push('part of its history cannot be read');
    const bytes = new Map<string, { file: string; bytes: Uint8Array }>();
    const wanted = [...record.files, ...(record.character ? [{ ...record.character, file: 'rig.glb' }] : [])];
    for (const { id: file, digest, file: name } of wanted) {
      if (bytes.has(file)) continue;
      const found = await readKept(digest).catch(() => undefined);
      if (found) bytes.set(file, { file: name, bytes: found });
      else lost.push(`the file ${name} cannot be read`);
    }
    return {
      id,
      record,
      state: state ?? before.at(-1) ?? after[0],
      past: state ? before : before.slice(0, -1),
      future: state || before.length > 0 ? after : after.slice(1),
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
 * Takes away projects that were deleted a day ago, and every state and file that no project names. While a record
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
    if (damaged) return;
    for (const digest of await states.keys()) if (!needed.states.has(digest)) await states.removeItem(digest);
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
