import { newId } from '../../id.js';
import { FileError } from '../error.js';
import { meshoptReady } from '../gltf/meshopt.js';
import type { ReadTake } from '../take-read.js';
import { BVH } from './bvh.js';
import { CSV } from './csv.js';
import { GLB, GLTF, VRM, VRMA } from './glb.js';
import type { FileKind, MotionWriter } from './kind.js';
import { PROJECT, ZIP } from './project.js';

export * from './kind.js';

/** Every kind of file, in the order in which they are named to people. Whoever reads, writes, drops or lists files asks here. */
export const FILE_KINDS: readonly FileKind[] = [BVH, GLB, VRM, VRMA, GLTF, CSV, PROJECT, ZIP];

/** The kind of a file by the ending of its name; undefined where there is none. */
export const kindOf = (file: string): FileKind | undefined =>
  FILE_KINDS.find(({ ending }) => file.toLowerCase().endsWith(ending));

/** The kind of a file without a name, by how it begins; undefined where that says nothing. */
export function kindOfBytes(bytes: Uint8Array): FileKind | undefined {
  const start = new TextDecoder().decode(bytes.subarray(0, 64)).trimStart().toLowerCase();
  return FILE_KINDS.find(({ begins }) => begins !== undefined && start.startsWith(begins.toLowerCase()));
}

/** A kind to which motions are written. */
export type WrittenKind = FileKind & { readonly writes: MotionWriter };

/** The kinds to which motions are written. */
export const WRITTEN_KINDS: readonly WrittenKind[] = FILE_KINDS.filter(
  (kind): kind is WrittenKind => kind.writes !== undefined,
);

/** The kind to which motions are written that an id names. */
export function writtenKind(id: string): WrittenKind {
  const kind = WRITTEN_KINDS.find((one) => one.id === id);
  if (!kind) throw new Error(`no kind of file is called ${id}`);
  return kind;
}

/** Endings as they stand in a sentence: ".bvh, .glb or .csv". */
export function endingsText(kinds: readonly FileKind[]): string {
  const all = kinds.map(({ ending }) => ending);
  return all.length < 2 ? all.join('') : `${all.slice(0, -1).join(', ')} or ${all[all.length - 1]}`;
}

/** What can be opened, in words for people: "a motion (.bvh), a character (.glb) or a project (.evlay)". */
export function openedText(): string {
  const all = FILE_KINDS.filter(({ opens }) => opens !== undefined).map(
    ({ what, ending }) => `${what} (${ending})`,
  );
  return `${all.slice(0, -1).join(', ')} or ${all[all.length - 1]}`;
}

/** The endings of all files that can be chosen to open something, those that come along among them, for a file dialog. */
export const openedEndings = (kinds: readonly FileKind[] = FILE_KINDS): string =>
  kinds
    .filter(({ opens, id }) => opens !== undefined || id === 'zip')
    .flatMap(({ ending, beside = [] }) => [ending, ...beside])
    .join(',');

/** The kinds from which performances are read. */
export const TAKE_KINDS: readonly FileKind[] = FILE_KINDS.filter(({ readTake }) => readTake !== undefined);

/** Reads a performance from a file, by the ending of its name. `clip` names one of several. Throws {@link FileError}. */
export async function readAnyTake(
  file: string,
  bytes: Uint8Array,
  clip?: string,
  id?: string,
): Promise<ReadTake> {
  const read = kindOf(file)?.readTake;
  if (!read)
    throw new FileError(
      file,
      `takes are read from ${TAKE_KINDS.map(({ name }) => name).join(', ')} files, expected a name that ends in ${endingsText(TAKE_KINDS)}`,
    );
  await meshoptReady;
  return read(file, bytes, clip, id ?? newId());
}
