import type { MotionKeys } from '../../keys/motion-keys.js';
import { facesOf } from '../../rig/members.js';
import { characterOf, type FaceChannel, type Joint, jointChildren, type Rig } from '../../rig/rig.js';
import type { Samples } from '../../take/take.js';
import { joinRanges, type KeysFile, type MotionFormat, writeWhole } from '../motion-file.js';
import { joinGlb } from './glb.js';
import type { MotionOptions } from './motion-place.js';
import { type SampledOptions, sampledOn } from './write-samples.js';
import { withKeys } from './write-splines.js';

/**
 * The files of {@link writeGlb}, {@link writeOnCharacter} and {@link addMotion}, for samples that come part after part: a
 * skeleton alone, or a file on which the motion is put.
 */
export const glbFormat = (
  rig: Rig,
  samples: Pick<Samples, 'count' | 'interval'>,
  options: MotionOptions,
  onto?: Uint8Array,
): MotionFormat => sampledOn(onto ?? skeletonGlb(rig, options), rig, samples, options);

/** A file of few keys of {@link writeGlb} or {@link addMotion}, to be written range after range. */
export const glbKeysFile = (
  rig: Rig,
  keys: MotionKeys,
  options: MotionOptions,
  onto?: Uint8Array,
): KeysFile => withKeys(onto ?? skeletonGlb(rig, options), rig, keys, options);

/**
 * Writes samples that hold every joint of the rig as a binary glTF 2.0 file without a mesh: one node a joint, with
 * the names, the order and the hierarchy of the rig, and one animation with `LINEAR` samplers. Lengths are metres.
 * Rotations are unit quaternions without a change of sign from sample to sample; a joint that never leaves its rest
 * translation or scale has no channel for it. A motion given as keys has `CUBICSPLINE` samplers with those.
 */
export const writeGlb = (
  rig: Rig,
  motion: Samples | MotionKeys,
  options: MotionOptions,
): Uint8Array<ArrayBuffer> => withMotion(skeletonGlb(rig, options), rig, motion, options);

/**
 * Writes a take that Evlay made, with what it records and no more; face channels at its samples. The file is in metres as every glTF file is, and says how long a unit of the rig is,
 * so that it is read back in that unit,
 * and how long a sample is, because times in glTF are 32-bit numbers.
 */
export const writeTakeGlb = (rig: Rig, samples: Samples, options: MotionOptions): Uint8Array<ArrayBuffer> =>
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
  options: MotionOptions,
): Uint8Array<ArrayBuffer> => withMotion(file, rig, motion, options);

/** What a BVH file says of a joint and glTF has no place for, in units of the rig. */
const bvhExtras = ({ order, channels, ends }: Joint): object => ({ order, channels, ends });

/** The joints of a rig at rest as nodes, in their order; lengths become metres. */
export const restNodes = (rig: Rig, metresPerUnit: number) =>
  rig.joints.map(({ name, translation, rotation, scale }, j) => {
    const children = jointChildren(rig)[j];
    return {
      name,
      ...(children.length > 0 && { children }),
      translation: translation.map((value) => value * metresPerUnit),
      rotation,
      scale,
    };
  });

/** A file that holds a skeleton at rest and nothing else. */
function skeletonGlb(scene: Rig, { name, metresPerUnit }: MotionOptions, extras?: object): Uint8Array {
  const rig = characterOf(scene);
  const nodes = restNodes(rig, metresPerUnit).map((node, j) => ({
    ...node,
    ...(extras && { extras: bvhExtras(rig.joints[j]) }),
  }));
  const faces = facesOf(scene);
  const json = {
    asset: { version: '2.0', generator: 'Evlay', ...(extras && { extras }) },
    scene: 0,
    scenes: [{ name, nodes: faces.length > 0 ? [0, nodes.length] : [0] }],
    nodes: faces.length > 0 ? [...nodes, { name: 'face', mesh: 0 }] : nodes,
    ...(faces.length > 0 && meshOfFaces(faces)),
  };
  return joinGlb({ json: JSON.stringify(json), bin: new Uint8Array(0), others: [] });
}

/** A mesh of one triangle without size, for the sake of its morph targets: their names and weights are all that it says. */
const meshOfFaces = (faces: readonly FaceChannel[]): object => ({
  meshes: [
    {
      name: 'face',
      primitives: [{ attributes: { POSITION: 0 }, targets: faces.map(() => ({ POSITION: 0 })) }],
      weights: faces.map(({ rest }) => rest),
      extras: { targetNames: faces.map((face) => face.name) },
    },
  ],
  // An accessor without a view is zeros (glTF 2.0, section 3.6.2).
  accessors: [{ componentType: 5126, count: 3, type: 'VEC3', min: [0, 0, 0], max: [0, 0, 0] }],
});

const withMotion = (
  file: Uint8Array,
  rig: Rig,
  motion: Samples | MotionKeys,
  options: SampledOptions,
): Uint8Array<ArrayBuffer> =>
  'tracks' in motion
    ? joinRanges([...withKeys(file, rig, motion, options).ranges()])
    : writeWhole(sampledOn(file, rig, motion, options), motion).bytes;
