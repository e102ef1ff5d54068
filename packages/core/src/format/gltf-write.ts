import { type Accessor, Document, type Node, WebIO } from '@gltf-transform/core';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

/** What to tell where the character has a skin. */
export const SKIN_LEFT_OUT =
  'the file holds the skeleton and its motion; the skin of the character is not in it';

/** What a motion is called in its file, and how long a unit of its rig is. */
export interface GlbOptions {
  readonly name: string;
  readonly metresPerUnit: number;
}

/**
 * Writes samples that hold every joint of the rig as a binary glTF 2.0 file without a mesh: one node a joint, with
 * the names, the order and the hierarchy of the rig, and one animation with `LINEAR` samplers. Lengths are metres.
 * Rotations are unit quaternions without a change of sign from sample to sample; a joint that never leaves its rest
 * translation or scale has no channel for it.
 */
export async function writeGlb(rig: Rig, samples: Samples, options: GlbOptions): Promise<Uint8Array> {
  const { name, metresPerUnit } = options;
  const document = new Document();
  const buffer = document.createBuffer();
  const nodes = rig.joints.map((joint) =>
    document
      .createNode(joint.name)
      .setTranslation(scaled(joint.translation, metresPerUnit))
      .setRotation([...joint.rotation])
      .setScale([...joint.scale]),
  );
  for (const [j, { parent }] of rig.joints.entries()) if (parent >= 0) nodes[parent].addChild(nodes[j]);
  document.createScene(name).addChild(nodes[0]);

  const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', array: Float32Array): Accessor =>
    document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const times = accessor(
    'SCALAR',
    Float32Array.from({ length: samples.count }, (_, k) => k * samples.interval),
  );
  const animation = document.createAnimation(name);
  const animate = (node: Node, path: 'translation' | 'rotation' | 'scale', values: Float32Array) => {
    const sampler = document
      .createAnimationSampler()
      .setInput(times)
      .setOutput(accessor(path === 'rotation' ? 'VEC4' : 'VEC3', values))
      .setInterpolation('LINEAR');
    const channel = document.createAnimationChannel().setTargetNode(node).setTargetPath(path);
    animation.addSampler(sampler).addChannel(channel.setSampler(sampler));
  };
  for (const [j, joint] of rig.joints.entries()) {
    animate(nodes[j], 'rotation', rotationsOf(samples, j));
    const moves = valuesOf(samples, 'translations', j);
    if (departs(moves, joint.translation)) animate(nodes[j], 'translation', times3(moves, metresPerUnit));
    const scales = valuesOf(samples, 'scales', j);
    if (departs(scales, joint.scale)) animate(nodes[j], 'scale', times3(scales, 1));
  }
  return new WebIO().writeBinary(document);
}

const scaled = ([x, y, z]: readonly [number, number, number], by: number): [number, number, number] => [
  x * by,
  y * by,
  z * by,
];

/** The three numbers of joint `j` at every sample. */
function valuesOf(samples: Samples, kind: 'translations' | 'scales', j: number): Float64Array {
  const { values, joints } = samples[kind];
  const out = new Float64Array(3 * samples.count);
  for (let s = 0; s < samples.count; s++) {
    const from = 3 * (s * joints.length + j);
    for (let axis = 0; axis < 3; axis++) out[3 * s + axis] = values[from + axis];
  }
  return out;
}

const times3 = (values: Float64Array, by: number): Float32Array =>
  Float32Array.from(values, (value) => value * by);

/** Whether values ever differ from those at rest as far as a 32-bit number can tell. */
const departs = (values: Float64Array, rest: readonly number[]): boolean =>
  values.some((value, i) => Math.fround(value) !== Math.fround(rest[i % 3]));

/** Unit quaternions of joint `j`, each on the side of the one before. */
function rotationsOf({ rotations, count }: Samples, j: number): Float32Array {
  const out = new Float32Array(4 * count);
  for (let s = 0; s < count; s++) {
    const from = 4 * (s * rotations.joints.length + j);
    let dot = s === 0 ? 1 : 0;
    let squared = 0;
    for (let c = 0; c < 4; c++) {
      const value = rotations.values[from + c];
      squared += value * value;
      if (s > 0) dot += value * out[4 * s - 4 + c];
    }
    const by = (dot < 0 ? -1 : 1) / Math.sqrt(squared);
    for (let c = 0; c < 4; c++) out[4 * s + c] = rotations.values[from + c] * by;
  }
  return out;
}
