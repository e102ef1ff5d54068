import { bvhFormat } from '../bvh/write.js';
import { FileError } from '../error.js';
import { TEXT_NUMBER } from '../lines.js';
import { readTake } from '../take-read.js';
import type { FileKind } from './kind.js';

/** BVH: one skeleton and one motion, every sample. */
export const BVH: FileKind = {
  id: 'bvh',
  name: 'BVH',
  ending: '.bvh',
  begins: 'HIERARCHY',
  what: 'a motion',
  opens: 4,
  readTake(file, bytes, clip, id) {
    if (clip !== undefined) throw new FileError(file, 'a BVH file holds one motion, expected no "clip"');
    return readTake(file, bytes, id);
  },
  writes: {
    about: 'A motion in text: names, order, offsets and channels of the skeleton as they came in.',
    format: bvhFormat,
    keys: 'BVH holds every frame',
    scales: false,
    faces: false,
    props: 'BVH holds one skeleton and no props',
    onCharacter: false,
    several: false,
    bytesOf: (joints, count) => count * TEXT_NUMBER * 3 * (joints + 1),
    most: Number.POSITIVE_INFINITY,
  },
};
