import { entryOf } from '../../record.js';
import { characterOf, type Joint, type Rig } from '../../rig/rig.js';
import type { ByteRange } from '../motion-file.js';
import { cameraOf } from './cameras.js';
import { frameGlb, type GlbParts, splitGlb } from './glb.js';
import { editJson, type JsonEdits } from './json-text.js';
import { elementOfPath, type NodePath, sizeOfPath } from './node-keys.js';
import { type GltfSkeleton, readSkeleton, transformOf } from './rig.js';

/** What a motion is called in its file, and how long a unit of its rig is. */
export interface MotionOptions {
  readonly name: string;
  readonly metresPerUnit: number;
  /** Whether the props of the scene are nodes of their own beside the character. */
  readonly props?: boolean;
  /** The vertical field of view, in degrees, of the props that are cameras, by name. */
  readonly cameras?: Readonly<Record<string, number>>;
}

/** A file on which a motion is put. */
export interface MotionPlace {
  readonly parts: GlbParts;
  readonly skeleton: GltfSkeleton;
  readonly edits: JsonEdits;
  /** The props that become nodes of their own, and the first of these. */
  readonly props: readonly Joint[];
  readonly firstProp: number;
}

/** Opens a file to put a motion on it. Throws `FileError` where it cannot be read. */
export function openPlace(file: Uint8Array, scene: Rig, options: MotionOptions): MotionPlace {
  const parts = splitGlb(file);
  const skeleton = readSkeleton(file);
  const edits = editJson(parts.json);
  const props = options.props ? scene.joints.slice(characterOf(scene).joints.length) : [];
  addProps(edits, skeleton.gltf, props, options);
  return { parts, skeleton, edits, props, firstProp: skeleton.gltf.nodes?.length ?? 0 };
}

/** Puts props into the scene as nodes of their own, beside what stands there. */
function addProps(
  edits: JsonEdits,
  { scene = 0, scenes, nodes, cameras: there }: GltfSkeleton['gltf'],
  props: readonly Joint[],
  { metresPerUnit, cameras = {} }: MotionOptions,
): void {
  if (props.length === 0) return;
  const first = nodes?.length ?? 0;
  const looking = props.filter(({ name }) => entryOf(cameras, name) !== undefined);
  if (looking.length > 0)
    edits.append(
      'cameras',
      looking.map(({ name }) => cameraOf(name, cameras[name])),
    );
  edits.append(
    'nodes',
    props.map(({ name, translation, rotation, scale }, k) => ({
      name,
      ...(looking.includes(props[k]) && { camera: (there?.length ?? 0) + looking.indexOf(props[k]) }),
      translation: translation.map((value) => value * metresPerUnit),
      rotation,
      scale,
    })),
  );
  const all = props.map((_, k) => first + k);
  if (scenes?.[scene]) edits.append(['scenes', scene, 'nodes'], all);
  else edits.append('scenes', [{ nodes: all }]);
}

/** The times of some keys, in seconds. */
export interface KeyTimes {
  readonly count: number;
  readonly first: number;
  readonly last: number;
}

/** What one channel has: `count` entries at the times with that index, joined by cubic splines or straight. */
export interface KeyOutput extends NodePath {
  readonly times: number;
  readonly count: number;
  readonly curved: boolean;
}

/** Where everything stands in a file with its new animation, whose numbers are still to be written. */
export interface MotionLayout {
  readonly json: string;
  readonly head: readonly ByteRange[];
  /** The byte at which the numbers of each of the times begin, then those of each output. */
  readonly offsets: readonly number[];
  readonly tail: readonly ByteRange[];
}

/** Adds an animation to the file. Whatever is there stays where it is; numbers are added to the end of its binary chunk. */
export function layOut(
  { parts, skeleton: { gltf }, edits }: MotionPlace,
  name: string,
  times: readonly KeyTimes[],
  outputs: readonly KeyOutput[],
): MotionLayout {
  for (const node of new Set(outputs.map((output) => output.node))) {
    const { matrix } = gltf.nodes![node] ?? {};
    if (!matrix) continue;
    edits.remove(['nodes', node, 'matrix']);
    for (const [field, value] of Object.entries(transformOf(gltf.nodes![node])!))
      edits.set(['nodes', node, field], value);
  }
  const start = (parts.bin.length + 3) & ~3;
  let end = start;
  const views = [
    ...times.map(({ count }) => 4 * count),
    ...outputs.map((output) => 4 * sizeOfPath(output) * output.count),
  ].map((byteLength) => {
    const byteOffset = end;
    end += byteLength;
    return { buffer: 0, byteOffset, byteLength };
  });
  const firstView = gltf.bufferViews?.length ?? 0;
  const firstAccessor = gltf.accessors?.length ?? 0;
  edits.append('bufferViews', views);
  edits.append('accessors', [
    ...times.map(({ count, first, last }, i) => ({
      bufferView: firstView + i,
      componentType: FLOAT,
      count,
      type: 'SCALAR',
      min: [first],
      max: [last],
    })),
    ...outputs.map((output, i) => ({
      bufferView: firstView + times.length + i,
      componentType: FLOAT,
      count: (output.count * sizeOfPath(output)) / elementOfPath(output),
      type: output.path === 'weights' ? 'SCALAR' : `VEC${sizeOfPath(output)}`,
    })),
  ]);
  edits.append('animations', [
    {
      name,
      channels: outputs.map(({ node, path }, i) => ({ sampler: i, target: { node, path } })),
      samplers: outputs.map((output, i) => ({
        input: firstAccessor + output.times,
        output: firstAccessor + times.length + i,
        interpolation: output.curved ? 'CUBICSPLINE' : 'LINEAR',
      })),
    },
  ]);
  if (gltf.buffers?.length) edits.set(['buffers', 0, 'byteLength'], end);
  else edits.append('buffers', [{ byteLength: end }]);
  const json = edits.text();
  const { before, after } = frameGlb({ json, others: parts.others }, end);
  const bin = new Uint8Array(start);
  bin.set(parts.bin);
  const base = before.length;
  return {
    json,
    head: [
      { at: 0, bytes: before },
      { at: base, bytes: bin },
    ],
    offsets: views.map(({ byteOffset }) => base + byteOffset),
    tail: [{ at: base + end, bytes: after }],
  };
}

/** The number of 32-bit floats among the types of components (glTF 2.0, section 3.6). */
const FLOAT = 5126;
