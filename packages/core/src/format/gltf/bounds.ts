import { IDENTITY, multiplyMatrices } from '../../math/matrix.js';
import { type GltfSkeleton, matrixOf } from './rig.js';

/** Lowest and highest corner of a box, in metres. */
export interface Bounds {
  readonly low: readonly number[];
  readonly high: readonly number[];
}

/**
 * The box around all meshes of a file as they stand in its scene, by the bounds that glTF asks for (accessor `min` and
 * `max`). Undefined where no mesh says them.
 */
export function meshBounds({ gltf }: GltfSkeleton): Bounds | undefined {
  const low = [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY];
  const high = low.map((value) => -value);
  const nodes = gltf.nodes ?? [];
  const scene = gltf.scenes?.[gltf.scene ?? 0];
  const waiting = [...new Set(scene?.nodes ?? [])].map((n) => ({ n, above: IDENTITY }));
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const node = nodes[next.n];
    const matrix = multiplyMatrices(next.above, matrixOf(node));
    for (const [x, y, z] of node.mesh === undefined ? [] : cornersOf(gltf, node.mesh))
      for (let axis = 0; axis < 3; axis++) {
        const value = matrix[axis] * x + matrix[4 + axis] * y + matrix[8 + axis] * z + matrix[12 + axis];
        low[axis] = Math.min(low[axis], value);
        high[axis] = Math.max(high[axis], value);
      }
    for (const n of node.children ?? []) waiting.push({ n, above: matrix });
  }
  return low.every(Number.isFinite) && high.every(Number.isFinite) ? { low, high } : undefined;
}

/** The corners of the boxes of a mesh's primitives. */
function cornersOf({ meshes, accessors }: GltfSkeleton['gltf'], mesh: number): number[][] {
  return (meshes?.[mesh]?.primitives ?? []).flatMap(({ attributes }) => {
    const { min, max } = accessors?.[attributes.POSITION ?? -1] ?? {};
    if (min?.length !== 3 || max?.length !== 3) return [];
    return [0, 1, 2, 3, 4, 5, 6, 7].map((c) => [0, 1, 2].map((axis) => (c & (1 << axis) ? max : min)[axis]));
  });
}
