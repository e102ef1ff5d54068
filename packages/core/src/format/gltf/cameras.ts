import { DEGREES, quaternionToEuler } from '../../math/euler.js';
import {
  composeMatrix,
  decomposeMatrix,
  IDENTITY,
  type Matrix,
  multiplyMatrices,
  type Transform,
} from '../../math/matrix.js';
import type { Vector3 } from '../../rig/rig.js';
import { FileError } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { accessorReader } from './accessor.js';
import { splitGlb } from './glb.js';
import { matrixOf, transformOf } from './rig.js';
import { readSampler, type Sampler, sampleAt } from './sampler.js';
import { type Gltf, parseGltf } from './schema.js';

/** A camera of a file, as it stands in its scene: place in metres, turn in degrees as `Ry · Rx · Rz`, vertical field of view in degrees. */
export interface ReadCamera {
  readonly name: string;
  readonly at: Vector3;
  readonly turn: Vector3;
  readonly fov: number;
  /** Where it is over time, if the file moves it. */
  readonly moves?: CameraMotion;
}

/** Where a camera is at even steps from time 0 on: three numbers a step in metres, and four of its orientation `(x, y, z, w)`. */
export interface CameraMotion {
  readonly places: Float64Array;
  readonly turns: Float64Array;
}

/** A node's property that is animated. */
interface Moved {
  readonly path: 'translation' | 'rotation' | 'scale';
  readonly sampler: Sampler;
}

const SIZES = { translation: 3, rotation: 4, scale: 3 } as const;

/**
 * The perspective cameras of a binary glTF file (glTF 2.0, section 3.10), which look along their own -Z. One that an animation
 * moves, itself or by what it hangs on, has its way by the first that does, at `rate` steps a second. Throws `FileError`.
 */
export function readCameras(bytes: Uint8Array, rate: number): ReadCamera[] {
  const { json, bin } = splitGlb(bytes);
  const gltf = parseGltf(json);
  const { nodes = [], cameras = [] } = gltf;
  const parents = new Map(
    nodes.flatMap(({ children = [] }, k) => children.map((child) => [child, k] as const)),
  );
  const seen = nodes.flatMap((node, k) => {
    const camera = node.camera === undefined ? undefined : cameras[node.camera];
    return camera?.perspective
      ? [{ node, camera, lens: camera.perspective, chain: chainTo(k, parents) }]
      : [];
  });
  const moving = movedNodes(gltf, bin, new Set(seen.flatMap(({ chain }) => chain)));
  return seen.flatMap(({ node, camera, lens, chain }): ReadCamera[] => {
    const place = placeOf(chain, (one) => matrixOf(nodes[one]));
    if (!place) return [];
    const by = moving.find((moved) => chain.some((one) => moved.has(one)));
    const moves = by && motionOf(gltf, chain, by, rate);
    // An animation that keeps it in one place says where it stands.
    const still = moves && isStill(moves) ? moves : undefined;
    const at = still ? [...still.places.subarray(0, 3)] : place.translation;
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, 'YXZ', still ? still.turns : [...place.rotation], 0);
    return [
      {
        name: node.name ?? camera.name ?? 'Camera',
        at: [at[0], at[1], at[2]],
        turn: angles.map((angle) => angle * DEGREES) as unknown as Vector3,
        fov: lens.yfov * DEGREES,
        ...(moves && !still && { moves }),
      },
    ];
  });
}

/** The nodes from the top of the scene down to one, itself included. */
function chainTo(node: number, parents: ReadonlyMap<number, number>): number[] {
  const chain: number[] = [];
  for (let n: number | undefined = node; n !== undefined; n = parents.get(n)) {
    if (chain.length > parents.size)
      throw new FileError(`nodes[${node}]`, 'it hangs below itself, expected a tree');
    chain.push(n);
  }
  return chain.reverse();
}

/** Where the last node of a chain is in the scene. */
const placeOf = (chain: readonly number[], local: (node: number) => Matrix): Transform | undefined =>
  decomposeMatrix(chain.reduce((matrix, node) => multiplyMatrices(matrix, local(node)), IDENTITY));

/** Metres, and parts of a quaternion, by which steps differ where something moves. */
const MOVES = 1e-6;

const isStill = ({ places, turns }: CameraMotion): boolean =>
  places.every((value, i) => Math.abs(value - places[i % 3]) < MOVES) &&
  turns.every((value, i) => Math.abs(value - turns[i % 4]) < MOVES);

/** What each animation of a file does to some of its nodes. */
function movedNodes(
  gltf: Gltf,
  bin: Uint8Array,
  some: ReadonlySet<number>,
): ReadonlyMap<number, readonly Moved[]>[] {
  const accessors = accessorReader(gltf, bin);
  return (gltf.animations ?? []).map((animation, a) => {
    const moved = new Map<number, Moved[]>();
    for (const { sampler, target } of animation.channels) {
      const { node, path } = target;
      if (node === undefined || !some.has(node)) continue;
      if (path !== 'translation' && path !== 'rotation' && path !== 'scale') continue;
      const place = `animations[${a}].samplers[${sampler}]`;
      const read = readSampler(accessors, gltf, animation, sampler, SIZES[path], place);
      moved.set(node, [...(moved.get(node) ?? []), { path, sampler: read }]);
    }
    return moved;
  });
}

/** Seconds by which a step may miss a key and be on it. */
const SNAP = 1e-6;

/** The way of the last node of a chain, from time 0 to the last key of what moves the chain. */
function motionOf(
  { nodes = [] }: Gltf,
  chain: readonly number[],
  moved: ReadonlyMap<number, readonly Moved[]>,
  rate: number,
): CameraMotion {
  const last = Math.max(
    0,
    ...chain.flatMap((node) =>
      (moved.get(node) ?? []).map(({ sampler: { times } }) => times[times.length - 1]),
    ),
  );
  const count = Math.ceil(last * rate - 1e-3) + 1;
  checkLimit(`nodes[${chain[chain.length - 1]}]`, count, LIMITS.samples, 'frames of a camera');
  const places = new Float64Array(3 * count);
  const turns = new Float64Array(4 * count);
  const out = new Float64Array(4);
  const cursors = new Map([...moved.values()].flat().map((one) => [one, { key: 0 }]));
  for (let k = 0; k < count; k++) {
    const time = Math.min(last, k / rate);
    const there = placeOf(chain, (node) => {
      const own = moved.get(node);
      const rest = own && transformOf(nodes[node]);
      if (!own || !rest) return matrixOf(nodes[node]);
      const now: { -readonly [P in keyof Transform]: Transform[P] } = { ...rest };
      for (const one of own) {
        // Before its first key the first holds.
        sampleAt(one.sampler, Math.max(time, one.sampler.times[0]), SNAP, cursors.get(one)!, out, 0);
        now[one.path] = [...out.subarray(0, SIZES[one.path])] as never;
      }
      return composeMatrix(now);
    });
    if (there) {
      places.set(there.translation, 3 * k);
      turns.set(there.rotation, 4 * k);
    } else if (k > 0) {
      places.copyWithin(3 * k, 3 * k - 3, 3 * k);
      turns.copyWithin(4 * k, 4 * k - 4, 4 * k);
    }
  }
  return { places, turns };
}

/** The nearest and the farthest that a written camera sees, in metres. */
const [NEAR, FAR] = [0.05, 1000];

/** A camera as a glTF file has it, of a vertical field of view in degrees. */
export const cameraOf = (name: string, fov: number): NonNullable<Gltf['cameras']>[number] => ({
  type: 'perspective',
  name,
  perspective: { yfov: fov / DEGREES, znear: NEAR, zfar: FAR },
});
