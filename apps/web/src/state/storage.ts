import { aboutText, newId, type Project } from '@evlay/core';
import { stackText } from '@evlay/core/format';
import localforage from 'localforage';

/** What is kept of a project beside its takes: small, and written at every save. */
export interface StoredDocument {
  readonly id: string;
  readonly name: string;
  readonly saved: number;
  /** The stack file. */
  readonly stack: string;
  /** What only the application knows of the takes. */
  readonly about?: string;
  /** The files that takes came in, and the ids of their assets, by which the stack names them. */
  readonly takes: readonly { readonly file: string; readonly asset: string }[];
  readonly character?: string;
  /** A small picture as a data URL. */
  readonly picture?: string;
  /** When the project was deleted; it is swept away at the next start. */
  readonly deleted?: number;
}

/** One state of the history: the name of the project, its stack file, and what only the application knows. */
export interface StoredState {
  readonly name: string;
  readonly stack: string;
  readonly about?: string;
}

/** The steps before and after the state that is saved, oldest first. */
export interface StoredHistory {
  readonly past: readonly StoredState[];
  readonly future: readonly StoredState[];
}

const histories = localforage.createInstance({ name: 'evlay', storeName: 'histories' });
const documents = localforage.createInstance({ name: 'evlay', storeName: 'documents' });
const assets = localforage.createInstance({ name: 'evlay', storeName: 'assets' });

/** Assets that are known to be on disk. They never change, so one write each is enough. */
const written = new Set<string>();

async function writeAsset(id: string, bytes: Uint8Array): Promise<void> {
  if (written.has(id)) return;
  await assets.setItem(id, bytes);
  written.add(id);
}

/** Steps of the history that are kept over a reload. */
const KEPT_STEPS = 100;

const texts = new WeakMap<Project, StoredState>();

function stateOf(project: Project): StoredState {
  let state = texts.get(project);
  if (!state) {
    const assetOf = (id: string) => project.takes.find((take) => take.id === id)!.source.id;
    state = { name: project.name, stack: stackText(project, assetOf), about: aboutText(project, assetOf) };
    texts.set(project, state);
  }
  return state;
}

/** What is saved beside the project: the steps before and after it, and a small picture. */
export interface Beside {
  readonly past?: readonly Project[];
  readonly future?: readonly Project[];
  readonly picture?: string;
}

/**
 * Saves a project: takes and character where they are new, then the document, then the history.
 * Throws when storage does not take it.
 */
export async function saveProject(id: string, project: Project, beside: Beside = {}): Promise<void> {
  // The steps before and after may play takes that the project does not play now.
  const all = [project, ...(beside.past ?? []), ...(beside.future ?? [])].flatMap(({ takes }) => takes);
  const sources = [...new Map(all.map(({ source }) => [source.id, source])).values()];
  for (const source of sources) await writeAsset(source.id, source.bytes);
  if (project.character) await writeAsset(project.character.id, project.character.bytes);
  const before = await documents.getItem<StoredDocument>(id);
  const document: StoredDocument = {
    id,
    name: project.name,
    saved: Date.now(),
    stack: stateOf(project).stack,
    about: stateOf(project).about,
    takes: sources.map(({ id: asset, file }) => ({ file, asset })),
    character: project.character?.id,
    picture: beside.picture ?? before?.picture,
  };
  await documents.setItem(id, document);
  const history: StoredHistory = {
    past: (beside.past ?? []).slice(-KEPT_STEPS).map(stateOf),
    future: (beside.future ?? []).slice(0, KEPT_STEPS).map(stateOf),
  };
  await histories.setItem(id, history);
}

/** All projects of this browser that are not deleted, the last saved first. */
export async function listProjects(): Promise<StoredDocument[]> {
  const found: StoredDocument[] = [];
  await documents.iterate<StoredDocument, void>((document) => {
    if (document.deleted === undefined) found.push(document);
  });
  return found.sort((a, b) => b.saved - a.saved);
}

/** A document with its history and the bytes of its assets by id. Undefined where there is no such project. */
export async function loadProject(
  id: string,
): Promise<
  { document: StoredDocument; history: StoredHistory | null; bytes: Map<string, Uint8Array> } | undefined
> {
  const document = await documents.getItem<StoredDocument>(id);
  if (!document || document.deleted !== undefined) return undefined;
  const bytes = new Map<string, Uint8Array>();
  for (const asset of [...document.takes.map((take) => take.asset), document.character]) {
    if (asset === undefined) continue;
    const found = await assets.getItem<Uint8Array>(asset);
    if (found) {
      bytes.set(asset, found);
      written.add(asset);
    }
  }
  return { document, history: await histories.getItem<StoredHistory>(id), bytes };
}

async function change(id: string, values: Partial<StoredDocument>): Promise<void> {
  const document = await documents.getItem<StoredDocument>(id);
  if (document) await documents.setItem(id, { ...document, ...values });
}

export const renameStored = (id: string, name: string): Promise<void> => change(id, { name });
export const deleteStored = (id: string): Promise<void> => change(id, { deleted: Date.now() });
export const restoreStored = (id: string): Promise<void> => change(id, { deleted: undefined });

/** Copies a project; its takes and its character are shared with the original. */
export async function duplicateStored(id: string): Promise<void> {
  const document = await documents.getItem<StoredDocument>(id);
  if (!document) return;
  const copy = newId();
  await documents.setItem(copy, { ...document, id: copy, name: `${document.name} copy`, saved: Date.now() });
}

/** Takes away what was deleted before now, and every asset that no project needs any more. */
export async function sweep(): Promise<void> {
  const needed = new Set<string>();
  const gone: string[] = [];
  await documents.iterate<StoredDocument, void>((document) => {
    if (document.deleted !== undefined) gone.push(document.id);
    else
      for (const asset of [...document.takes.map((take) => take.asset), document.character])
        if (asset) needed.add(asset);
  });
  for (const id of gone) {
    await documents.removeItem(id);
    await histories.removeItem(id);
  }
  for (const id of await assets.keys()) if (!needed.has(id)) await assets.removeItem(id);
}

/** What storage said, in words for people. */
export function storageReason(error: unknown): string {
  const name = error instanceof Error ? error.name : '';
  if (name === 'QuotaExceededError') return 'this browser’s storage is full';
  return 'this browser keeps no data for the page';
}
