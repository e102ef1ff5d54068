import { newId, type Project, stackText, takeFiles } from '@evlay/core';
import localforage from 'localforage';

/** What is kept of a project beside its takes: small, and written at every save. */
export interface StoredDocument {
  readonly id: string;
  readonly name: string;
  readonly saved: number;
  /** The stack file. */
  readonly stack: string;
  /** File name inside the project and asset id of each take. */
  readonly takes: readonly { readonly file: string; readonly asset: string }[];
  readonly character?: string;
  /** A small picture as a data URL. */
  readonly picture?: string;
  /** When the project was deleted; it is swept away at the next start. */
  readonly deleted?: number;
}

const documents = localforage.createInstance({ name: 'evlay', storeName: 'documents' });
const assets = localforage.createInstance({ name: 'evlay', storeName: 'assets' });

/** Assets that are known to be on disk. They never change, so one write each is enough. */
const written = new Set<string>();

async function writeAsset(id: string, bytes: Uint8Array): Promise<void> {
  if (written.has(id)) return;
  await assets.setItem(id, bytes);
  written.add(id);
}

/** Saves a project: takes and character where they are new, then the document. Throws when storage does not take it. */
export async function saveProject(id: string, project: Project, picture?: string): Promise<void> {
  const files = takeFiles(project);
  for (const take of project.takes) await writeAsset(take.id, take.source.bytes);
  if (project.character) await writeAsset(project.character.id, project.character.bytes);
  const before = await documents.getItem<StoredDocument>(id);
  const document: StoredDocument = {
    id,
    name: project.name,
    saved: Date.now(),
    stack: stackText(project),
    takes: project.takes.map((take) => ({ file: files.get(take.id)!, asset: take.id })),
    character: project.character?.id,
    picture: picture ?? before?.picture,
  };
  await documents.setItem(id, document);
}

/** All projects of this browser that are not deleted, the last saved first. */
export async function listProjects(): Promise<StoredDocument[]> {
  const found: StoredDocument[] = [];
  await documents.iterate<StoredDocument, void>((document) => {
    if (document.deleted === undefined) found.push(document);
  });
  return found.sort((a, b) => b.saved - a.saved);
}

/** A document with the bytes of its assets by id. Undefined where there is no such project. */
export async function loadProject(
  id: string,
): Promise<{ document: StoredDocument; bytes: Map<string, Uint8Array> } | undefined> {
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
  return { document, bytes };
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
  for (const id of gone) await documents.removeItem(id);
  for (const id of await assets.keys()) if (!needed.has(id)) await assets.removeItem(id);
}

/** What storage said, in words for people. */
export function storageReason(error: unknown): string {
  const name = error instanceof Error ? error.name : '';
  if (name === 'QuotaExceededError') return 'this browser’s storage is full';
  return 'this browser keeps no data for the page';
}
