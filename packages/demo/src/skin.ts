import type { Rig } from '@evlay/core';
import { jointChildren } from '@evlay/core/rig';
import { limb } from './distance.js';
import type { Solid } from './solid.js';
import type { Mesh } from './surface.js';
import { add, type V } from './vector.js';

/** Four joints a vertex and how much each moves it; the four weights of a vertex sum to 1. */
export interface Skin {
  readonly joints: Uint8Array;
  readonly weights: Float32Array;
}

/** Rounds over which the weights of neighbouring vertices are evened out, so that the skin does not fold at joints. */
const ROUNDS = 6;

/**
 * Weighs the vertices of a surface by their distance to the bones: the nearer a bone, the more it moves a vertex,
 * falling with the sixth power; then evened out along the surface. Only the bones of the solid count. `places` are the
 * joints' places at rest.
 */
export function skinByDistance(
  rig: Rig,
  places: readonly V[],
  { positions, triangles }: Pick<Mesh, 'positions' | 'triangles'>,
  { bones, thick = () => 0, evened: rounds = ROUNDS }: Pick<Solid, 'bones' | 'thick' | 'evened'>,
): Skin {
  const children = jointChildren(rig);
  const segments = bones.map((name) => {
    const j = rig.joints.findIndex((joint) => joint.name === name);
    const ends = children[j].map((child) => places[child]);
    const toward = ends.length > 0 ? ends : [add(places[j], [0, 0.001, 0])];
    const distances = toward.map((end) => limb(places[j], end, 0));
    const flesh = thick(name);
    return { j, distance: (p: V) => Math.max(0, Math.min(...distances.map((d) => d(p))) - flesh) };
  });
  const count = positions.length / 3;
  const n = segments.length;
  let holds = new Float64Array(n * count);
  for (let v = 0; v < count; v++) {
    const point: V = [positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]];
    for (const [k, { distance }] of segments.entries()) holds[n * v + k] = (distance(point) + 0.012) ** -6;
    const sum = holds.subarray(n * v, n * v + n).reduce((total, hold) => total + hold, 0);
    for (let k = 0; k < n; k++) holds[n * v + k] /= sum;
  }
  for (let round = 0; round < rounds; round++) holds = evened(holds, n, triangles, count);
  const skin: Skin = { joints: new Uint8Array(4 * count), weights: new Float32Array(4 * count) };
  for (let v = 0; v < count; v++) {
    const most = segments
      .map(({ j }, k) => ({ j, weight: holds[n * v + k] }))
      .sort((a, b) => b.weight - a.weight)
      .slice(0, 4);
    const sum = most.reduce((total, { weight }) => total + weight, 0);
    for (const [k, { j, weight }] of most.entries()) {
      skin.joints[4 * v + k] = j;
      skin.weights[4 * v + k] = weight / sum;
    }
  }
  return skin;
}

/** For each vertex the mean of the places of its bones, as much as each moves it: three numbers. */
export function bonesMiddles({ joints, weights }: Skin, places: readonly V[]): number[] {
  const middles = new Array<number>((3 * joints.length) / 4).fill(0);
  for (const [k, j] of joints.entries())
    for (let axis = 0; axis < 3; axis++) middles[3 * (k >> 2) + axis] += weights[k] * places[j][axis];
  return middles;
}

/** For each vertex the mean of what it and those beside it have. */
function evened(
  holds: Float64Array,
  n: number,
  triangles: readonly number[],
  count: number,
): Float64Array<ArrayBuffer> {
  const out = Float64Array.from(holds);
  const parts = new Float64Array(count).fill(1);
  for (let t = 0; t < triangles.length; t += 3)
    for (let corner = 0; corner < 3; corner++) {
      const [v, w] = [triangles[t + corner], triangles[t + ((corner + 1) % 3)]];
      for (const [to, from] of [
        [v, w],
        [w, v],
      ]) {
        parts[to]++;
        for (let k = 0; k < n; k++) out[n * to + k] += holds[n * from + k];
      }
    }
  for (let v = 0; v < count; v++) for (let k = 0; k < n; k++) out[n * v + k] /= parts[v];
  return out;
}
