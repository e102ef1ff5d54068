import type { Distance } from './distance.js';
import type { V } from './vector.js';

/** A triangle mesh: three numbers a vertex, three indices a triangle. */
export interface Mesh {
  readonly positions: number[];
  readonly normals: number[];
  readonly triangles: number[];
}

/**
 * Turns a distance field into a mesh by surface nets (Gibson, Constrained Elastic Surface Nets, 1998): a
 * vertex in every cell that the surface passes, at the mean of the crossings on the cell's edges, and two
 * triangles across every edge that it crosses. `cell` is the size of a cell in metres.
 */
export function surfaceOf(distance: Distance, low: V, high: V, cell: number): Mesh {
  const n = [0, 1, 2].map((k) => Math.ceil((high[k] - low[k]) / cell) + 1);
  const at = (x: number, y: number, z: number): V => [
    low[0] + x * cell,
    low[1] + y * cell,
    low[2] + z * cell,
  ];
  const index = (x: number, y: number, z: number) => (z * n[1] + y) * n[0] + x;
  const field = new Float32Array(n[0] * n[1] * n[2]);
  for (let z = 0; z < n[2]; z++)
    for (let y = 0; y < n[1]; y++)
      for (let x = 0; x < n[0]; x++) field[index(x, y, z)] = distance(at(x, y, z));

  const mesh: Mesh = { positions: [], normals: [], triangles: [] };
  const vertexOf = new Map<number, number>();
  for (let z = 0; z + 1 < n[2]; z++)
    for (let y = 0; y + 1 < n[1]; y++)
      for (let x = 0; x + 1 < n[0]; x++) {
        const mean = [0, 0, 0];
        let crossings = 0;
        for (const [a, b] of EDGES) {
          const da = field[index(x + (a & 1), y + ((a >> 1) & 1), z + (a >> 2))];
          const db = field[index(x + (b & 1), y + ((b >> 1) & 1), z + (b >> 2))];
          if (da < 0 === db < 0) continue;
          const t = da / (da - db);
          mean[0] += (a & 1) + t * ((b & 1) - (a & 1));
          mean[1] += ((a >> 1) & 1) + t * (((b >> 1) & 1) - ((a >> 1) & 1));
          mean[2] += (a >> 2) + t * ((b >> 2) - (a >> 2));
          crossings++;
        }
        if (crossings === 0) continue;
        const p = at(x + mean[0] / crossings, y + mean[1] / crossings, z + mean[2] / crossings);
        vertexOf.set(index(x, y, z), mesh.positions.length / 3);
        mesh.positions.push(...p);
        mesh.normals.push(...gradient(distance, p, cell / 2));
      }
  for (let z = 1; z + 1 < n[2]; z++)
    for (let y = 1; y + 1 < n[1]; y++)
      for (let x = 1; x + 1 < n[0]; x++) {
        const inside = field[index(x, y, z)] < 0;
        const quads: [boolean, number[]][] = [
          [
            field[index(x + 1, y, z)] < 0,
            [index(x, y - 1, z - 1), index(x, y, z - 1), index(x, y, z), index(x, y - 1, z)],
          ],
          [
            field[index(x, y + 1, z)] < 0,
            [index(x - 1, y, z - 1), index(x - 1, y, z), index(x, y, z), index(x, y, z - 1)],
          ],
          [
            field[index(x, y, z + 1)] < 0,
            [index(x - 1, y - 1, z), index(x, y - 1, z), index(x, y, z), index(x - 1, y, z)],
          ],
        ];
        for (const [other, cells] of quads) {
          if (inside === other) continue;
          const [a, b, c, d] = cells.map((key) => vertexOf.get(key)!);
          mesh.triangles.push(...(inside ? [a, b, c, a, c, d] : [a, c, b, a, d, c]));
        }
      }
  return mesh;
}

/** The twelve edges of a cell; a corner's bits are its x, y and z. */
const EDGES = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((a) =>
  [1, 2, 4].filter((bit) => (a & bit) === 0).map((bit) => [a, a | bit] as const),
);

function gradient(distance: Distance, p: V, e: number): number[] {
  const g = [0, 1, 2].map((k) => {
    const step = (s: number) => p.map((value, axis) => (axis === k ? value + s * e : value)) as unknown as V;
    return distance(step(1)) - distance(step(-1));
  });
  const size = Math.hypot(g[0], g[1], g[2]) || 1;
  return g.map((value) => value / size);
}
