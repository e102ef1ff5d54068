import { type Flags, MeshoptSimplifier } from 'meshoptimizer';
import type { Mesh } from './surface.js';

/** How far the simpler surface may be from the fine one, in metres. */
const ERROR = 0.001;
/** Turning a normal by a radian counts as much as moving a vertex so far, in metres. */
const NORMAL = 0.01;
/** Moving the middle of a vertex's bones by a metre counts as much as moving the vertex so far, in metres. */
const BONES = 0.2;
const FLAGS: Flags[] = ['ErrorAbsolute'];

/** What is left of a surface: the vertices that are kept, and three indices into them a triangle. */
export interface Simpler {
  readonly kept: readonly number[];
  readonly triangles: readonly number[];
}

/**
 * Finds as few vertices of a surface as its form, its shading and the way it bends need: every vertex that is drawn is
 * moved by its bones at every frame, and surface nets have as many where a surface is flat as where it is round. Edges
 * are collapsed by quadric errors (Garland and Heckbert, Surface Simplification Using Quadric Error Metrics, 1997).
 * `middles` are the weighted means of the places of each vertex's bones, three numbers a vertex, where it has any.
 */
export async function simplified(mesh: Mesh, middles?: readonly number[]): Promise<Simpler> {
  await MeshoptSimplifier.ready;
  const sources = middles ? [mesh.normals, middles] : [mesh.normals];
  const counts = middles ? [NORMAL, BONES] : [NORMAL];
  const count = mesh.positions.length / 3;
  const size = 3 * sources.length;
  const attributes = new Float32Array(size * count);
  for (let v = 0; v < count; v++)
    for (const [s, source] of sources.entries())
      for (let k = 0; k < 3; k++) attributes[size * v + 3 * s + k] = source[3 * v + k];
  const [triangles] = MeshoptSimplifier.simplifyWithAttributes(
    Uint32Array.from(mesh.triangles),
    Float32Array.from(mesh.positions),
    3,
    attributes,
    size,
    counts.flatMap((weight) => [weight, weight, weight]),
    null,
    0,
    ERROR,
    FLAGS,
  );
  const [places, left] = MeshoptSimplifier.compactMesh(triangles);
  const kept = new Array<number>(left);
  for (const [v, place] of places.entries()) if (place < left) kept[place] = v;
  return { kept, triangles: [...triangles] };
}

/** The values of the vertices that are kept, `size` numbers each. */
export const valuesOf = (kept: readonly number[], values: ArrayLike<number>, size: number): number[] =>
  kept.flatMap((v) => Array.from({ length: size }, (_, k) => values[size * v + k]));
