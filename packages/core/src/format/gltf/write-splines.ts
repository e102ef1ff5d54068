import type { KeyedTrack, MotionKeys } from '../../keys/motion-keys.js';
import { type Spline, withKnots } from '../../keys/spline.js';
import { decomposeMatrix, IDENTITY, invertMatrix } from '../../math/matrix.js';
import { multiply } from '../../math/quaternion.js';
import { facesOf } from '../../rig/members.js';
import { characterOf, type Rig } from '../../rig/rig.js';
import { rootOf } from '../../rig/topology.js';
import { FileError } from '../error.js';
import type { KeysFile } from '../motion-file.js';
import type { FaceShare } from './faces.js';
import { joinGlb } from './glb.js';
import { mirrorNumbers } from './mirrored.js';
import { layOut, type MotionOptions, openPlace } from './motion-place.js';
import { bytesOfFloats, type NodeKeys } from './node-keys.js';
import { type GltfSkeleton, readGlbRig } from './rig.js';

const PATHS = {
  translations: 'translation',
  rotations: 'rotation',
  scales: 'scale',
} as const;

/**
 * An animation with few keys, put on a file, whose ranges are made one after the other while they are written. Throws
 * {@link FileError} for a character of loose ranges.
 */
export function withKeys(file: Uint8Array, scene: Rig, motion: MotionKeys, options: MotionOptions): KeysFile {
  const place = openPlace(file, scene, options);
  const { props, firstProp, skeleton } = place;
  const keys = [
    ...splinesOfNodes(skeleton, scene, motion, options.metresPerUnit, props.length > 0 ? firstProp : -1),
    ...splinesOfFaces(skeleton, scene, motion),
  ];
  const inputs = [...new Set(keys.map(({ times }) => times))];
  const layout = layOut(
    place,
    options.name,
    inputs.map((times) => ({ count: times.length, first: times[0], last: times[times.length - 1] })),
    keys.map(({ node, path, targets, times, curved }) => ({
      node,
      path,
      targets,
      times: inputs.indexOf(times),
      count: (curved ? 3 : 1) * times.length,
      curved,
    })),
  );
  return {
    *ranges() {
      yield* layout.head;
      for (const [k, times] of inputs.entries()) yield { at: layout.offsets[k], bytes: bytesOfFloats(times) };
      for (const [k, { values }] of keys.entries())
        yield { at: layout.offsets[inputs.length + k], bytes: bytesOfFloats(values()) };
      yield* layout.tail;
    },
    rig: () => readGlbRig(joinGlb({ json: layout.json, bin: new Uint8Array(0), others: [] })),
  };
}

/** Changes numbers of a key: a value, or with `slope` a change of it. */
type Change = (numbers: Float64Array, slope: boolean) => void;

/**
 * The keys of a motion as keys of nodes, in seconds and metres; props are nodes from `firstProp` on, and left out where that
 * is -1. Rotations have to be quaternions.
 */
function splinesOfNodes(
  { nodes, above, mirrored }: GltfSkeleton,
  scene: Rig,
  keys: MotionKeys,
  metresPerUnit: number,
  firstProp: number,
): NodeKeys[] {
  if (nodes[0].length > 1)
    throw new FileError('nodes', 'a character of loose ranges is baked at every frame, not with few keys');
  const n = characterOf(scene).joints.length;
  const rootChange = changeOfRoot(above, metresPerUnit);
  return keys.tracks.flatMap((track): NodeKeys[] => {
    const { member: joint, kind, spline } = track;
    if (kind === 'faces' || (joint >= n && firstProp < 0)) return [];
    const placed: Change =
      joint === rootOf(scene)
        ? rootChange(kind)
        : (numbers) => {
            if (kind === 'translations') for (let c = 0; c < 3; c++) numbers[c] *= metresPerUnit;
          };
    const change: Change = (numbers, slope) => {
      mirrorNumbers(joint < n ? mirrored[joint] : undefined, PATHS[kind], numbers);
      placed(numbers, slope);
    };
    // A spline needs two keys (glTF 2.0, section 3.11).
    const curved = !spline.straight && spline.knots.length > 1;
    return [
      {
        curved,
        node: joint < n ? nodes[joint][0] : firstProp + joint - n,
        path: PATHS[kind],
        times: Float32Array.from(spline.knots, (knot) => knot * keys.interval),
        values: () => valuesOf(spline, keys.interval, change, curved),
      },
    ];
  });
}

/** The keys of the weights of meshes: all targets of a mesh have theirs at the same times. */
function splinesOfFaces({ faceMeshes }: GltfSkeleton, scene: Rig, keys: MotionKeys): NodeKeys[] {
  const faces = facesOf(scene);
  const byFace = new Map(
    keys.tracks.flatMap(({ kind, member, spline }) =>
      kind === 'faces' ? [[member - scene.joints.length, spline] as const] : [],
    ),
  );
  return faceMeshes.flatMap(({ nodes, channels, also }): NodeKeys[] => {
    const shares = channels.map((face, t): FaceShare[] => [{ face, share: 1 }, ...also[t]]);
    const own = shares.flat().flatMap(({ face }) => byFace.get(face) ?? []);
    if (own.length === 0) return [];
    const knots = Int32Array.from(new Set(own.flatMap((spline) => [...spline.knots]))).sort();
    const straight = own.every((spline) => spline.straight);
    const curved = !straight && knots.length > 1;
    const splineOf = (list: readonly FaceShare[]) =>
      summed(
        list.map(({ face, share }) => ({
          share,
          spline: withKnots(byFace.get(face) ?? holding(faces[face].rest, knots[0], straight), knots),
        })),
      );
    const times = Float32Array.from(knots, (knot) => knot * keys.interval);
    const values = () => {
      const all = new Float32Array((curved ? 3 : 1) * knots.length * channels.length);
      for (const [t, list] of shares.entries()) {
        const part = valuesOf(splineOf(list), keys.interval, () => undefined, curved);
        for (let k = 0; k < part.length; k++) all[k * channels.length + t] = part[k];
      }
      return all;
    };
    return nodes.map((node) => ({
      node,
      path: 'weights',
      targets: channels.length,
      curved,
      times,
      values,
    }));
  });
}

/** Splines with the same knots added up, each by its share. */
function summed(parts: readonly { readonly share: number; readonly spline: Spline }[]): Spline {
  const [{ spline: first }] = parts;
  const sum = (of: (spline: Spline) => Float64Array) =>
    of(first).map((_, i) => parts.reduce((whole, { share, spline }) => whole + share * of(spline)[i], 0));
  return {
    ...first,
    values: sum(({ values }) => values),
    into: sum(({ into }) => into),
    out: sum(({ out }) => out),
  };
}

/** A spline of one number that holds. */
const holding = (value: number, knot: number, straight: boolean): Spline => ({
  size: 1,
  straight,
  knots: Int32Array.of(knot),
  values: Float64Array.of(value),
  into: Float64Array.of(0),
  out: Float64Array.of(0),
});

/** The root stands in the scene; its node hangs below what stands above it. */
function changeOfRoot(
  above: GltfSkeleton['above'],
  metresPerUnit: number,
): (kind: KeyedTrack['kind']) => Change {
  const back = above === IDENTITY ? IDENTITY : invertMatrix(above);
  const parts = decomposeMatrix(back)!;
  return (kind) => (numbers, slope) => {
    if (kind === 'rotations') multiply(numbers, 0, [...parts.rotation], 0, numbers, 0);
    if (kind === 'scales') for (let c = 0; c < 3; c++) numbers[c] *= parts.scale[c];
    if (kind !== 'translations') return;
    const [x, y, z] = numbers.map((value) => value * metresPerUnit);
    for (let row = 0; row < 3; row++)
      numbers[row] = back[row] * x + back[4 + row] * y + back[8 + row] * z + (slope ? 0 : back[12 + row]);
  };
}

/** Slope in, value and slope out of each key, slopes a second; where nothing is curved the values alone. */
function valuesOf(
  { size, knots, values, into, out }: Spline,
  interval: number,
  change: Change,
  curved: boolean,
): Float32Array<ArrayBuffer> {
  const numbers = new Float64Array(size);
  const written = new Float32Array((curved ? 3 : 1) * size * knots.length);
  let at = 0;
  const write = (from: Float64Array, k: number, slope: boolean) => {
    for (let c = 0; c < size; c++) numbers[c] = from[k * size + c] / (slope ? interval : 1);
    change(numbers, slope);
    written.set(numbers, at);
    at += size;
  };
  const last = knots.length - 1;
  const none = new Float64Array(size * knots.length);
  for (let k = 0; k <= last; k++) {
    if (curved) write(k > 0 ? into : none, k, true);
    write(values, k, false);
    if (curved) write(k < last ? out : none, k, true);
  }
  return written;
}
