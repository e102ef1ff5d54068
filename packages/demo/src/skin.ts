import type { Rig } from '@evlay/core';
import { jointChildren } from '@evlay/core/rig';
import { limb } from './distance.js';
import { add, type V } from './vector.js';

/** Four joints a vertex and how much each moves it; the four weights of a vertex sum to 1. */
export interface Skin {
  readonly joints: Uint8Array;
  readonly weights: Float32Array;
}

/**
 * Weighs vertices by their distance to the bones: the nearer a bone, the more it moves a vertex, falling with
 * the sixth power. Only `bones` count. `places` are the joints' places at rest.
 */
export function skinByDistance(
  rig: Rig,
  places: readonly V[],
  positions: readonly number[],
  bones: readonly string[],
): Skin {
  const children = jointChildren(rig);
  const segments = bones.map((name) => {
    const j = rig.joints.findIndex((joint) => joint.name === name);
    const ends = children[j].map((child) => places[child]);
    const toward = ends.length > 0 ? ends : [add(places[j], [0, 0.001, 0])];
    const distances = toward.map((end) => limb(places[j], end, 0));
    return { j, distance: (p: V) => Math.min(...distances.map((d) => d(p))) };
  });
  const count = positions.length / 3;
  const skin: Skin = { joints: new Uint8Array(4 * count), weights: new Float32Array(4 * count) };
  for (let v = 0; v < count; v++) {
    const point: V = [positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]];
    const nearest = segments
      .map(({ j, distance }) => ({ j, weight: (distance(point) + 0.012) ** -6 }))
      .sort((a, b) => b.weight - a.weight)
      .slice(0, 4);
    const sum = nearest.reduce((total, { weight }) => total + weight, 0);
    for (const [k, { j, weight }] of nearest.entries()) {
      skin.joints[4 * v + k] = j;
      skin.weights[4 * v + k] = weight / sum;
    }
  }
  return skin;
}
