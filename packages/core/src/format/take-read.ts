import { newId } from '../id.js';
import type { Take } from '../take/take.js';
import { readBvh } from './bvh-read.js';
import { FileError, named } from './error.js';
import { readGlbTake } from './gltf/take.js';
import { checkSize } from './limits.js';

/** A take with what is doubtful about its file. */
export interface ReadTake {
  readonly take: Take;
  readonly warnings: readonly string[];
}

/**
 * Reads a performance from a BVH file. `id` is that under which the file is kept already.
 * Throws {@link FileError} that names the file and the place in it.
 */
export function readTake(file: string, bytes: Uint8Array, id = newId()): ReadTake {
  checkSize(file, bytes.length);
  if (!/\.bvh$/i.test(file)) throw new FileError(file, 'expected a name that ends in .bvh');
  try {
    const { rig, samples, warnings } = readBvh(bytes);
    const name = file.slice(file.lastIndexOf('/') + 1).replace(/\.bvh$/i, '');
    return { take: { id, name, rig, source: { id, file, bytes }, warnings, ...samples }, warnings };
  } catch (error) {
    throw named(file, error);
  }
}

/** Reads a performance from a BVH or a GLB file, by the ending of its name. `clip` names one of several animations. */
export async function readAnyTake(
  file: string,
  bytes: Uint8Array,
  clip?: string,
  id = newId(),
): Promise<ReadTake> {
  if (/\.glb$/i.test(file)) return readGlbTake(file, bytes, clip, id);
  if (!/\.bvh$/i.test(file))
    throw new FileError(
      file,
      'takes are read from BVH and GLB files, expected a name that ends in .bvh or .glb',
    );
  if (clip !== undefined) throw new FileError(file, 'a BVH file holds one motion, expected no "clip"');
  return readTake(file, bytes, id);
}
