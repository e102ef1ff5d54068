import { newId } from '../../id.js';
import type { PickSet } from '../../layer/project.js';
import type { Figure } from '../../layer/scene.js';
import type { Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { FileError, named, quote } from '../error.js';
import { checkSize, LIMITS } from '../limits.js';
import { characterExpressions, springsOf } from '../vrm/humanoid.js';
import { accessorReader } from './accessor.js';
import type { FindResource } from './buffers.js';
import { meshoptReady } from './meshopt.js';
import { packGltf } from './pack.js';
import { readSkeleton } from './rig.js';
import type { Gltf } from './schema.js';
import { clipNames, readClip } from './take.js';

/** A character with the animations of its file. */
export interface ReadCharacter {
  readonly name: string;
  readonly rig: Rig;
  readonly figure: Figure;
  readonly takes: readonly Take[];
  /** Chains of joints that its file says swing, by name. */
  readonly sets: readonly PickSet[];
  readonly warnings: readonly string[];
}

/** Extensions of glTF that are read or shown: by this reader, or by `three` for the looks (glTF registry). */
const KNOWN =
  /^(KHR_(draco_mesh_compression|mesh_quantization|texture_(basisu|transform)|lights_punctual|materials_\w+|meshopt_compression)|EXT_(meshopt_compression|texture_(webp|avif)|materials_bump|mesh_gpu_instancing)|VRMC_\w+)$/;

/** What a file says nobody can do without, and is not read. */
const unread = ({ extensionsRequired = [] }: Gltf): string[] =>
  extensionsRequired
    .filter((name) => !KNOWN.test(name))
    .map((name) => `it needs ${quote(name)}, which is not read: it may look otherwise, or not be seen`);

/** Which expressions change colours and textures, which nothing shows. */
function painted(gltf: Gltf): string[] {
  const names = characterExpressions(gltf).flatMap(({ name, paints }) => (paints ? [name] : []));
  if (names.length === 0) return [];
  const some = `${names.slice(0, 3).join(', ')}${names.length > 3 ? ' …' : ''}`;
  return [`expressions also change colours or textures, which are left as they are: ${some}`];
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
    await meshoptReady;
    const packed = packGltf(bytes, find);
    const skeleton = readSkeleton(packed.bytes);
    const warnings = [
      ...packed.warnings,
      ...skeleton.warnings,
      ...unread(skeleton.gltf),
      ...painted(skeleton.gltf),
    ];
    const takes: Take[] = [];
    const clips = clipNames(skeleton);
    const accessors = accessorReader(skeleton.gltf, skeleton.bin);
    const several = (skeleton.gltf.animations?.length ?? 0) > 1;
    let total = 0;
    for (const clip of new Set(clips)) {
      try {
        const origin = { id, file: `${name}.glb`, bytes: packed.bytes };
        const { take, warnings: doubts } = readClip(skeleton, accessors, several ? clip : undefined, origin);
        total += [take.translations, take.rotations, take.scales].reduce(
          (sum, { values }) => sum + values.length,
          0,
        );
        if (total > LIMITS.values) {
          warnings.push(
            `from the animation ${quote(clip)} on none is read: together they hold too many samples`,
          );
          break;
        }
        takes.push({ ...take, warnings: [...skeleton.warnings, ...doubts] });
      } catch (error) {
        if (!(error instanceof FileError)) throw error;
        warnings.push(error.message);
      }
    }
    if (new Set(clips).size < clips.length)
      warnings.push('animations have the same name; the first of each is read');
    const { rig, gltf, nodes } = skeleton;
    const jointOf = new Map(nodes.flatMap((own, j) => own.map((node) => [node, j] as const)));
    const sets = springsOf(gltf, (node) => rig.joints[jointOf.get(node) ?? -1]?.name);
    return { name, rig, figure: { id, bytes: packed.bytes }, takes, sets, warnings };
  } catch (error) {
    throw named(file, error);
  }
}
