import { newId } from '../../id.js';
import type { Character } from '../../layer/project.js';
import type { Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { checkSize, FileError } from '../error.js';
import { type FindResource, packGltf } from './pack.js';
import { readSkeleton } from './rig.js';
import { clipNames, readGlbTake } from './take.js';

/** A character with the animations of its file. */
export interface ReadCharacter {
  readonly name: string;
  readonly rig: Rig;
  readonly character: Character;
  readonly takes: readonly Take[];
  readonly warnings: readonly string[];
}

/**
 * Reads a character from a `.glb`, or from a `.gltf` with the files beside it, which become one file. An animation
 * that cannot be read is left out with a warning. Throws {@link FileError} that names the file and the place in it.
 */
export async function readCharacter(
  file: string,
  bytes: Uint8Array,
  find?: FindResource,
): Promise<ReadCharacter> {
  checkSize(file, bytes.length);
  const name = file.slice(file.lastIndexOf('/') + 1).replace(/\.[^.]*$/, '');
  const id = newId();
  try {
    const packed = packGltf(bytes, find);
    const skeleton = readSkeleton(packed.bytes);
    const warnings = [...packed.warnings, ...skeleton.warnings];
    const takes: Take[] = [];
    const clips = clipNames(skeleton);
    const several = (skeleton.gltf.animations?.length ?? 0) > 1;
    for (const clip of new Set(clips)) {
      try {
        const { take } = await readGlbTake(`${name}.glb`, packed.bytes, several ? clip : undefined, id);
        takes.push({ ...take, name: take.name || clip || name });
      } catch (error) {
        if (!(error instanceof FileError)) throw error;
        warnings.push(error.message);
      }
    }
    if (new Set(clips).size < clips.length)
      warnings.push('animations have the same name; the first of each is read');
    return { name, rig: skeleton.rig, character: { id, bytes: packed.bytes }, takes, warnings };
  } catch (error) {
    if (error instanceof FileError) throw new FileError(file, error.message);
    throw error;
  }
}
