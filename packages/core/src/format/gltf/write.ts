import type { MotionKeys } from '../../keys/keys-from-samples.js';
import {
  composeMatrix,
  decomposeMatrix,
  invertMatrix,
  multiplyMatrices,
  type Transform,
} from '../../math/matrix.js';
import { multiply } from '../../math/quaternion.js';
import { characterOf, type Joint, jointChildren, type Rig } from '../../rig/rig.js';
import type { Samples, Track } from '../../take/take.js';
import { FileError } from '../error.js';
import { joinGlb, splitGlb } from './glb.js';
import { editJson, type JsonEdits } from './json-text.js';
import type { NodeKeys } from './node-keys.js';
import { type GltfSkeleton, matrixOf, readSkeleton, transformOf } from './rig.js';
import { splinesOfNodes } from './write-splines.js';

/** What a motion is called in its file, and how long a unit of its rig is. */
export interface GlbOptions {
  readonly name: string;
  readonly metresPerUnit: number;
  /** Whether the props of the scene are nodes of their own beside the character. */
  readonly props?: boolean;
}

/**
 * Writes samples that hold every joint of the rig as a binary glTF 2.0 file without a mesh: one node a joint, with
 * the names, the order and the hierarchy of the rig, and one animation with `LINEAR` samplers. Lengths are metres.
 * Rotations are unit quaternions without a change of sign from sample to sample; a joint that never leaves its rest
 * translation or scale has no channel for it. A motion given as keys has `CUBICSPLINE` samplers with those.
 */
export const writeGlb = (
  rig: Rig,
  motion: Samples | MotionKeys,
  options: GlbOptions,
): Uint8Array<ArrayBuffer> => withMotion(skeletonGlb(rig, options), rig, motion, options);

/**
 * Writes a take that Evlay made, with what it records and no more. The file is in metres as every glTF file is, and says how long a unit of the rig is,
 * so that it is read back in that unit,
 * and how long a sample is, because times in glTF are 32-bit numbers.
 */
export const writeTakeGlb = (rig: Rig, samples: Samples, options: GlbOptions): Uint8Array<ArrayBuffer> =>
  withMotion(
    skeletonGlb(rig, options, { metresPerUnit: options.metresPerUnit, interval: samples.interval }),
    rig,
    samples,
    {
      ...options,
      still: true,
    },
  );

/**
 * Puts a motion on the file that a character came in, as one more animation. Everything that is there stays byte for
 * byte: what is added goes to the ends of lists and of the binary chunk. Only a joint that is written as a matrix is
 * rewritten as translation, rotation and scale, because a matrix cannot be animated (glTF 2.0, section 3.11). `rig`
 * is that which was read from the file. Throws `FileError` where the file is none that could be read.
 */
export const writeOnCharacter = (
  character: Uint8Array,
  rig: Rig,
  motion: Samples | MotionKeys,
  name: string,
  props = false,
): Uint8Array<ArrayBuffer> => withMotion(character, rig, motion, { name, metresPerUnit: 1, props });

/**
 * Puts one more animation on a file that {@link writeGlb} or {@link writeOnCharacter} wrote for the same rig; what is there
 * stays.
 */
export const addMotion = (
  file: Uint8Array,
  rig: Rig,
  motion: Samples | MotionKeys,
  options: Pick<GlbOptions, 'name' | 'metresPerUnit'>,
): Uint8Array<ArrayBuffer> => withMotion(file, rig, motion, options);

/** What a BVH file says of a joint and glTF has no place for, in units of the rig. */
const bvhExtras = ({ order, channels, ends }: Joint): object => ({ order, channels, ends });

/** A file that holds a skeleton at rest and nothing else. */
function skeletonGlb(scene: Rig, { name, metresPerUnit }: GlbOptions, extras?: object): Uint8Array {
  const rig = characterOf(scene);
  const nodes = rig.joints.map((joint, j) => {
    const children = jointChildren(rig)[j];
    return {
      name: joint.name,
      ...(children.length > 0 && { children }),
      translation: joint.translation.map((value) => value * metresPerUnit),
      rotation: joint.rotation,
      scale: joint.scale,
      ...(extras && { extras: bvhExtras(joint) }),
    };
  });
  const json = {
    asset: { version: '2.0', generator: 'Evlay', ...(extras && { extras }) },
    scene: 0,
    scenes: [{ name, nodes: [0] }],
    nodes,
  };
  return joinGlb({ json: JSON.stringify(json), bin: new Uint8Array(0), others: [] });
}

interface MotionOptions extends GlbOptions {
  /** Whether a channel is written for exactly what the samples record, also where it never leaves rest. */
  readonly still?: boolean;
}

function withMotion(
  file: Uint8Array,
  sceneRig: Rig,
  motion: Samples | MotionKeys,
  options: MotionOptions,
): Uint8Array<ArrayBuffer> {
  const { name } = options;
  const rig = characterOf(sceneRig);
  const props = options.props ? sceneRig.joints.slice(rig.joints.length) : [];
  const skeleton = readSkeleton(file);
  const { gltf } = skeleton;
  const parts = splitGlb(file);
  const edits = editJson(parts.json);
  const firstProp = gltf.nodes?.length ?? 0;
  const keys =
    'tracks' in motion
      ? splinesOfNodes(skeleton, sceneRig, motion, options.metresPerUnit, props.length > 0 ? firstProp : -1)
      : keysOfNodes(skeleton, sceneRig, motion, options, props, firstProp);
  addProps(edits, gltf, props, options.metresPerUnit);
  for (const node of new Set(keys.map((key) => key.node))) {
    const { matrix } = gltf.nodes![node] ?? {};
    if (!matrix) continue;
    edits.remove(['nodes', node, 'matrix']);
    for (const [field, value] of Object.entries(transformOf(gltf.nodes![node])!))
      edits.set(['nodes', node, field], value);
  }

  const even = Float32Array.from({ length: motion.count }, (_, k) => k * motion.interval);
  const inputs = [...new Set(keys.map(({ times }) => times ?? even))];
  const arrays = [...inputs, ...keys.map(({ values }) => values)];
  const start = (parts.bin.length + 3) & ~3;
  let at = start;
  const views = arrays.map((array) => {
    const view = { buffer: 0, byteOffset: at, byteLength: array.byteLength };
    at += array.byteLength;
    return view;
  });
  const bin = new Uint8Array(at);
  bin.set(parts.bin);
  for (const [i, array] of arrays.entries())
    bin.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), views[i].byteOffset);

  const firstView = gltf.bufferViews?.length ?? 0;
  const firstAccessor = gltf.accessors?.length ?? 0;
  edits.append('bufferViews', views);
  edits.append(
    'accessors',
    arrays.map((array, i) => {
      const size = i < inputs.length ? 1 : keys[i - inputs.length].path === 'rotation' ? 4 : 3;
      return {
        bufferView: firstView + i,
        componentType: 5126,
        count: array.length / size,
        type: size === 1 ? 'SCALAR' : `VEC${size}`,
        ...(size === 1 && { min: [array[0]], max: [array[array.length - 1]] }),
      };
    }),
  );
  edits.append('animations', [
    {
      name,
      channels: keys.map(({ node, path }, i) => ({ sampler: i, target: { node, path } })),
      samplers: keys.map(({ times }, i) => ({
        input: firstAccessor + inputs.indexOf(times ?? even),
        output: firstAccessor + inputs.length + i,
        // A spline needs two keys (glTF 2.0, section 3.11).
        interpolation: times && times.length > 1 ? 'CUBICSPLINE' : 'LINEAR',
      })),
    },
  ]);
  if (gltf.buffers?.length) edits.set(['buffers', 0, 'byteLength'], at);
  else edits.append('buffers', [{ byteLength: at }]);
  return joinGlb({ ...parts, json: edits.text(), bin });
}

/** The keys of all joints, and of props as nodes from `firstProp` on, at every sample. */
function keysOfNodes(
  skeleton: GltfSkeleton,
  sceneRig: Rig,
  samples: Samples,
  options: MotionOptions,
  props: readonly Joint[],
  firstProp: number,
): NodeKeys[] {
  const { nodes } = skeleton;
  const rig = characterOf(sceneRig);
  const keys =
    nodes[0].length > 1
      ? nodes[0].flatMap((node) => keysOfPiece(skeleton, samples, node))
      : rig.joints.flatMap((_, j) => keysOfJoint(skeleton, rig, samples, j, options));
  for (const [k, prop] of props.entries())
    keys.push(...keysOfProp(samples, prop, rig.joints.length + k, firstProp + k, options.metresPerUnit));
  return keys;
}

/** The keys of a joint: its rotation, and translation and scale where they ever depart from rest. */
function keysOfJoint(
  { nodes, above }: GltfSkeleton,
  rig: Rig,
  samples: Samples,
  j: number,
  { metresPerUnit, still }: MotionOptions,
): NodeKeys[] {
  const node = nodes[j][0];
  const { translation, rotation, scale } = rig.joints[j];
  const moves = valuesOf(samples, samples.translations, j, translation);
  const scales = valuesOf(samples, samples.scales, j, scale);
  const rotations = rotationsOf(samples, j, rotation);
  const written = (track: Track, values: Float64Array, rest: readonly number[]) =>
    still ? track.joints.includes(j) : departs(values, rest);
  const turned = !still || samples.rotations.joints.includes(j);
  const moved = written(samples.translations, moves, translation);
  const scaled = written(samples.scales, scales, scale);
  // The root stands in the scene; its node hangs below what stands above it.
  if (j === 0) {
    const back = invertMatrix(above);
    const parts = decomposeMatrix(back)!;
    for (let s = 0; s < samples.count; s++) {
      const [x, y, z] = moves.subarray(3 * s, 3 * s + 3).map((value) => value * metresPerUnit);
      for (let row = 0; row < 3; row++) {
        moves[3 * s + row] =
          (back[row] * x + back[4 + row] * y + back[8 + row] * z + back[12 + row]) / metresPerUnit;
        scales[3 * s + row] *= parts.scale[row];
      }
      multiply(rotations, 4 * s, [...parts.rotation], 0, rotations, 4 * s);
    }
  }
  return [
    ...(turned ? [{ node, path: 'rotation' as const, values: Float32Array.from(rotations) }] : []),
    ...(moved
      ? [{ node, path: 'translation' as const, values: Float32Array.from(moves, (v) => v * metresPerUnit) }]
      : []),
    ...(scaled ? [{ node, path: 'scale' as const, values: Float32Array.from(scales) }] : []),
  ];
}

/** Puts props into the scene as nodes of their own, beside what stands there. */
function addProps(
  edits: JsonEdits,
  { scene = 0, scenes, nodes }: GltfSkeleton['gltf'],
  props: readonly Joint[],
  metresPerUnit: number,
): void {
  if (props.length === 0) return;
  const first = nodes?.length ?? 0;
  edits.append(
    'nodes',
    props.map(({ name, translation, rotation, scale }) => ({
      name,
      translation: translation.map((value) => value * metresPerUnit),
      rotation,
      scale,
    })),
  );
  const all = props.map((_, k) => first + k);
  if (scenes?.[scene]) edits.append(['scenes', scene, 'nodes'], all);
  else edits.append('scenes', [{ nodes: all }]);
}

/** The keys of a prop: where it is and how it is turned, and its scale where it ever departs from rest. */
function keysOfProp(
  samples: Samples,
  { translation, rotation, scale }: Joint,
  j: number,
  node: number,
  metresPerUnit: number,
): NodeKeys[] {
  const moves = valuesOf(samples, samples.translations, j, translation);
  const scales = valuesOf(samples, samples.scales, j, scale);
  return [
    { node, path: 'rotation', values: Float32Array.from(rotationsOf(samples, j, rotation)) },
    { node, path: 'translation', values: Float32Array.from(moves, (v) => v * metresPerUnit) },
    ...(departs(scales, scale) ? [{ node, path: 'scale' as const, values: Float32Array.from(scales) }] : []),
  ];
}

/** The keys of one piece of an object that a single joint moves as a whole. */
function keysOfPiece({ gltf }: GltfSkeleton, samples: Samples, node: number): NodeKeys[] {
  const rest = matrixOf(gltf.nodes![node]);
  const moves = valuesOf(samples, samples.translations, 0, [0, 0, 0]);
  const scales = valuesOf(samples, samples.scales, 0, [1, 1, 1]);
  const turns = rotationsOf(samples, 0, [0, 0, 0, 1]);
  const out = { translation: [] as number[], rotation: [] as number[], scale: [] as number[] };
  for (let s = 0; s < samples.count; s++) {
    const joint = {
      translation: moves.subarray(3 * s, 3 * s + 3),
      rotation: turns.subarray(4 * s, 4 * s + 4),
      scale: scales.subarray(3 * s, 3 * s + 3),
    } as unknown as Transform;
    const parts = decomposeMatrix(multiplyMatrices(composeMatrix(joint), rest));
    if (!parts)
      throw new FileError(`nodes[${node}]`, 'the piece is sheared or mirrored, expected scales above 0');
    for (const path of ['translation', 'rotation', 'scale'] as const) out[path].push(...parts[path]);
  }
  return (['translation', 'rotation', 'scale'] as const).map((path) => ({
    node,
    path,
    values: Float32Array.from(out[path]),
  }));
}

/** The numbers of joint `j` at every sample, those at rest where a track does not have it. */
function valuesOf({ count }: Samples, track: Track, j: number, rest: readonly number[]): Float64Array {
  const { values, joints, size } = track;
  const entry = joints.indexOf(j);
  const out = new Float64Array(size * count);
  for (let s = 0; s < count; s++) {
    const from = size * (s * joints.length + entry);
    for (let c = 0; c < size; c++) out[size * s + c] = entry < 0 ? rest[c] : values[from + c];
  }
  return out;
}

/** Whether values ever differ from those at rest as far as a 32-bit number can tell. */
const departs = (values: Float64Array, rest: readonly number[]): boolean =>
  values.some((value, i) => Math.fround(value) !== Math.fround(rest[i % 3]));

/** Unit quaternions of joint `j`, each on the side of the one before. */
function rotationsOf(samples: Samples, j: number, rest: readonly number[]): Float64Array {
  const out = valuesOf(samples, samples.rotations, j, rest);
  for (let o = 0; o < out.length; o += 4) {
    let dot = o === 0 ? 1 : 0;
    let squared = 0;
    for (let c = o; c < o + 4; c++) {
      squared += out[c] * out[c];
      if (o > 0) dot += out[c] * out[c - 4];
    }
    const by = (dot < 0 ? -1 : 1) / Math.sqrt(squared);
    for (let c = o; c < o + 4; c++) out[c] *= by;
  }
  return out;
}
