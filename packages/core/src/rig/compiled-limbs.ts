import { type LimbCorrections, limbsOf } from './limbs.js';
import { type CompiledLimb, compileLimb, LimbError } from './reach.js';
import { charactersOf, type Rig } from './rig.js';
import { type Topology, topologyOf } from './topology.js';

/** Limbs that were made ready, with the characters that they are of. */
interface Known {
  readonly characters: readonly Rig[];
  readonly limbs: readonly CompiledLimb[];
}

const knownOf = new WeakMap<Topology, WeakMap<LimbCorrections, Known>>();

/**
 * The limbs of a rig that can reach, with what was said of its limbs: made ready once for its characters with their props, wherever
 * these and they stand.
 */
export function compiledLimbs(rig: Rig, corrections: LimbCorrections): readonly CompiledLimb[] {
  const topology = topologyOf(rig);
  const known = knownOf.get(topology) ?? new WeakMap<LimbCorrections, Known>();
  knownOf.set(topology, known);
  const characters = charactersOf(rig).map((one) => one.rig);
  const before = known.get(corrections);
  if (before?.characters.every((one, k) => one === characters[k])) return before.limbs;
  const limbs = limbsOf(rig, corrections).flatMap((limb) => {
    try {
      return [compileLimb(rig, limb)];
    } catch (error) {
      if (error instanceof LimbError) return [];
      throw error;
    }
  });
  known.set(corrections, { characters, limbs });
  return limbs;
}

/** The limb whose end a joint is. */
export const limbThatEnds = (limbs: readonly CompiledLimb[], joint: number): CompiledLimb | undefined =>
  limbs.find(({ chain }) => chain[chain.length - 1] === joint);
