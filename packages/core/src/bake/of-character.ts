import type { WantedKey } from '../keys/track-fit.js';
import { facesOf } from '../rig/members.js';
import { characterOf, type Rig } from '../rig/rig.js';
import { sharingTopology, topologyOf } from '../rig/topology.js';
import type { Samples, Track } from '../take/take.js';
import type { BlockBaker } from './blocks.js';

/**
 * A bake is of one character: its own joints and face channels by their own names, in its own space, and the props behind
 * them. What is evaluated is the whole scene, of which this takes a part.
 */

const rigs = new WeakMap<Rig, (Rig | undefined)[]>();

/** The rig of a scene with one of its characters and the props alone. */
export function rigOfCharacter(rig: Rig, character: number): Rig {
  const { spans } = topologyOf(rig);
  if (spans.length === 1) return rig;
  const known = rigs.get(rig) ?? [];
  rigs.set(rig, known);
  let found = known[character];
  if (!found) {
    const own = characterOf(rig, character);
    const props = rig.joints.slice(spans[spans.length - 1].to);
    const faces = facesOf(own);
    found = {
      joints: [...own.joints, ...props],
      ...(faces.length > 0 && { faces }),
      characters: [{ name: '', rig: own }],
    };
    if (known[0]) found = sharingTopology(found, known[0]);
    known[character] = found;
  }
  return found;
}

/** For each member of the rig of a character its index in that of the scene: joints, then face channels. */
function membersOf(rig: Rig, character: number): { joints: number[]; faces: number[] } {
  const { spans } = topologyOf(rig);
  const { from, to, faceFrom, faceTo } = spans[character];
  const indices = (first: number, end: number) => Array.from({ length: end - first }, (_, k) => first + k);
  return {
    joints: [...indices(from, to), ...indices(spans[spans.length - 1].to, rig.joints.length)],
    faces: indices(faceFrom, faceTo),
  };
}

/** Samples of a character, out of samples of every joint of the scene. */
export function samplesOfCharacter(rig: Rig, character: number, samples: Samples): Samples {
  if (topologyOf(rig).spans.length === 1) return samples;
  const { joints, faces } = membersOf(rig, character);
  const some = ({ size, values, joints: all }: Track, members: readonly number[]): Track => {
    const out = new Float64Array(size * members.length * samples.count);
    for (let s = 0; s < samples.count; s++)
      for (const [k, member] of members.entries())
        for (let c = 0; c < size; c++)
          out[size * (s * members.length + k) + c] = values[size * (s * all.length + member) + c];
    return { joints: Int32Array.from(members, (_, k) => k), size, values: out };
  };
  return {
    ...samples,
    translations: some(samples.translations, joints),
    rotations: some(samples.rotations, joints),
    scales: some(samples.scales, joints),
    faces: some(samples.faces, faces),
  };
}

/** A baker of the scene as one of a character. */
export const bakerOfCharacter =
  (rig: Rig, character: number, baker: BlockBaker): BlockBaker =>
  async (from, to) =>
    samplesOfCharacter(rig, character, await baker(from, to));

/** Keys that are wanted in the scene, for a character. */
export function wantedOfCharacter(rig: Rig, character: number, wanted: readonly WantedKey[]): WantedKey[] {
  if (topologyOf(rig).spans.length === 1) return [...wanted];
  const { joints, faces } = membersOf(rig, character);
  const own = new Map(
    [...joints, ...faces.map((face) => rig.joints.length + face)].map((member, k) => [member, k]),
  );
  return wanted.map((one) =>
    one.joints
      ? { ...one, joints: new Set([...one.joints].flatMap((member) => own.get(member) ?? [])) }
      : one,
  );
}
