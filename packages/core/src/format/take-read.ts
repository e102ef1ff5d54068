import { newId } from '../id.js';
import type { Take } from '../take/take.js';
import { readBvh } from './bvh/read.js';
import { FileError, named } from './error.js';
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
