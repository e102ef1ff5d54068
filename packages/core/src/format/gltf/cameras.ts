import { DEGREES, quaternionToEuler } from '../../math/euler.js';
import { decomposeMatrix, IDENTITY, type Matrix, multiplyMatrices } from '../../math/matrix.js';
import type { Vector3 } from '../../rig/rig.js';
import { splitGlb } from './glb.js';
import { matrixOf } from './rig.js';
import { type Gltf, parseGltf } from './schema.js';

/** A camera of a file, as it stands in its scene: place in metres, turn in degrees as `Ry · Rx · Rz`, vertical field of view in degrees. */
export interface ReadCamera {
  readonly name: string;
  readonly at: Vector3;
  readonly turn: Vector3;
  readonly fov: number;
}

/** The perspective cameras of a binary glTF file (glTF 2.0, section 3.10), which look along their own -Z. Throws `FileError`. */
export function readCameras(bytes: Uint8Array): ReadCamera[] {
  const gltf = parseGltf(splitGlb(bytes).json);
  const { nodes = [], cameras = [] } = gltf;
  const parents = new Map(
    nodes.flatMap(({ children = [] }, k) => children.map((child) => [child, k] as const)),
  );
  const global = (node: number): Matrix => {
    const parent = parents.get(node);
    return multiplyMatrices(parent === undefined ? IDENTITY : global(parent), matrixOf(nodes[node]));
  };
  return nodes.flatMap((node, k): ReadCamera[] => {
    const camera = node.camera === undefined ? undefined : cameras[node.camera];
    const yfov = camera?.perspective?.yfov;
    const place = yfov === undefined ? undefined : decomposeMatrix(global(k));
    if (yfov === undefined || !place) return [];
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, 'YXZ', [...place.rotation], 0);
    return [
      {
        name: node.name ?? camera?.name ?? 'Camera',
        at: [place.translation[0], place.translation[1], place.translation[2]],
        turn: angles.map((angle) => angle * DEGREES) as unknown as Vector3,
        fov: yfov * DEGREES,
      },
    ];
  });
}

/** The nearest and the farthest that a written camera sees, in metres. */
const [NEAR, FAR] = [0.05, 1000];

/** A camera as a glTF file has it, of a vertical field of view in degrees. */
export const cameraOf = (name: string, fov: number): NonNullable<Gltf['cameras']>[number] => ({
  type: 'perspective',
  name,
  perspective: { yfov: fov / DEGREES, znear: NEAR, zfar: FAR },
});
