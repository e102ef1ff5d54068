import type { WantedKey } from '../keys/track-fit.js';
import { membersOfCharacter, placesOfCharacter } from '../rig/one-character.js';
import type { Rig } from '../rig/rig.js';
import { topologyOf } from '../rig/topology.js';
import type { Samples, Track } from '../take/take.js';
import type { BlockBaker } from './blocks.js';

/** Samples of a character, out of samples of every joint of the scene. */
export function samplesOfCharacter(rig: Rig, character: number, samples: Samples): Samples {
  if (topologyOf(rig).spans.length === 1) return samples;
  const { joints, faces } = placesOfCharacter(rig, character);
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
  const own = new Map(membersOfCharacter(rig, character).map((member, k) => [member, k]));
  return wanted.map((one) =>
    one.joints
      ? { ...one, joints: new Set([...one.joints].flatMap((member) => own.get(member) ?? [])) }
      : one,
  );
}
