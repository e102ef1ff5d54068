import { readCharacter } from '../gltf/character.js';
import { readGlbTake } from '../gltf/take.js';
import { glbFormat, glbKeysFile } from '../gltf/write.js';
import { lostInVrma, vrmaFormat } from '../vrm/write-vrma.js';
import type { FileKind } from './kind.js';

/** Bytes that a binary glTF file has at most: its length is a 32-bit number (glTF 2.0, section 4.4). */
const LONGEST = 2 ** 32 - 1;

/** Binary glTF 2.0: a character with its motions, or a skeleton with one. */
export const GLB: FileKind = {
  id: 'glb',
  name: 'GLB',
  ending: '.glb',
  begins: 'glTF',
  what: 'a character',
  opens: 3,
  readTake: readGlbTake,
  readCharacter,
  writes: {
    about: 'Binary glTF: a node a joint and one animation, in metres. No mesh goes along.',
    format: (rig, times, { onto, ...options }) => glbFormat(rig, times, options, onto),
    keys: (rig, keys, { onto, ...options }) => glbKeysFile(rig, keys, options, onto),
    scales: true,
    faces: true,
    props: true,
    onCharacter: true,
    several: true,
    bytesOf: (joints, count) => count * 4 * (1 + 4 * joints + 3),
    most: LONGEST,
  },
};

/** glTF 2.0 with its buffers and images in files beside it. */
export const GLTF: FileKind = {
  id: 'gltf',
  name: 'glTF',
  ending: '.gltf',
  what: 'a character, with its files',
  opens: 2,
  beside: ['.bin', '.png', '.jpg', '.jpeg', '.webp'],
  readCharacter,
};

/** VRM 1.0: a humanoid character in a binary glTF file that says which joint is which bone. */
export const VRM: FileKind = {
  id: 'vrm',
  name: 'VRM',
  ending: '.vrm',
  what: 'a humanoid character',
  opens: 3,
  readCharacter,
};

/** VRM animation 1.0: a motion of a humanoid, whose expressions are face channels. */
export const VRMA: FileKind = {
  id: 'vrma',
  name: 'VRMA',
  ending: '.vrma',
  what: 'a motion of a humanoid',
  opens: 4,
  readTake: readGlbTake,
  writes: {
    about: 'A motion for any humanoid of VRM 1.0: turns of its bones, the way of the hips, expressions.',
    format: vrmaFormat,
    keys: 'A VRM animation is written with every sample',
    scales: false,
    faces: true,
    props: 'A VRM animation has no props',
    loses: lostInVrma,
    onCharacter: false,
    several: false,
    bytesOf: (joints, count) => count * 4 * (1 + 4 * joints + 3),
    most: LONGEST,
  },
};
