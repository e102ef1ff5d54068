import { newId } from '../id.js';
import { makeMotion, makingKey, type Wearer } from '../make/make.js';
import type { Motion } from '../take/reshape.js';
import { withSampledFaces } from '../take/sample.js';
import type { Take } from '../take/take.js';
import { readGlbTake } from './gltf/take.js';
import { writeTakeGlb } from './gltf/write.js';

/** What making a take gives: everything of it but what it is called and how it is made. */
export type Made = Pick<
  Take,
  | 'rig'
  | 'source'
  | 'count'
  | 'interval'
  | 'translations'
  | 'rotations'
  | 'scales'
  | 'faces'
  | 'faceCurves'
  | 'contacts'
  | 'handsMoved'
  | 'madeBy'
>;

/**
 * Makes the samples of a take by its steps from `source`, which stays as it is. They are written as a file of their
 * own and are what that file says, so that they are the same after it has been put away and read again.
 */
export async function makeSamples(
  take: Pick<Take, 'name' | 'made' | 'contacts'>,
  source: Take,
  wearer: Wearer,
): Promise<Made> {
  const making = take.made!;
  const { motion, contacts, handsMoved } = makeMotion(source, making, wearer, take.contacts);
  const file = `${source.source.file.replace(/^.*\//, '').replace(/\.[^.]*$/, '')}${making.mapping ? '-fitted' : '-made'}.glb`;
  const read = writtenTake(motion, { name: take.name, file, metresPerUnit: wearer.metresPerUnit });
  const { source: written, count, interval, translations, rotations, scales, faces, faceCurves } = read;
  const madeBy = makingKey({ made: making, contacts }, source);
  return {
    rig: motion.rig,
    source: written,
    count,
    interval,
    translations,
    rotations,
    scales,
    faces,
    ...(faceCurves && { faceCurves }),
    contacts,
    handsMoved,
    madeBy,
  };
}

/** A motion as a take in a file of its own: it is what that file says, so that it is the same after it is read again. */
export function writtenTake(
  motion: Motion,
  {
    name,
    file,
    metresPerUnit,
  }: { readonly name: string; readonly file: string; readonly metresPerUnit: number },
): Take {
  const bytes = writeTakeGlb(motion.rig, withSampledFaces(motion), { name, metresPerUnit });
  const { take } = readGlbTake(file, bytes, undefined, newId());
  return { ...take, name, rig: motion.rig };
}
