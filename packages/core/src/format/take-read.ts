import { newId } from '../id.js';
import type { Take } from '../take/take.js';
import { readBvh } from './bvh-read.js';
import { checkSize, FileError } from './error.js';

/**
 * Reads an imported performance. `id` is that under which it is kept already.
 * Throws {@link FileError} that names the file and the place in it.
 */
export function readTake(
  file: string,
  bytes: Uint8Array,
  id = newId(),
): { take: Take; warnings: readonly string[] } {
  checkSize(file, bytes.length);
  if (!/\.bvh$/i.test(file))
    throw new FileError(file, 'takes are read from BVH files, expected a name that ends in .bvh');
  try {
    const { rig, samples, warnings } = readBvh(bytes);
    const name = file.slice(file.lastIndexOf('/') + 1).replace(/\.bvh$/i, '');
    return { take: { id, name, rig, source: { file, bytes }, ...samples }, warnings };
  } catch (error) {
    if (error instanceof FileError) throw new FileError(file, error.message);
    throw error;
  }
}
