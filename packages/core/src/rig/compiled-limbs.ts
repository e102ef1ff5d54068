import { type LimbCorrections, limbsOf } from './limbs.js';
import { type CompiledLimb, compileLimb, LimbError } from './reach.js';
import { characterOf, type Rig } from './rig.js';
import { type Topology, topologyOf } from './topology.js';

type OfCorrections = WeakMap<LimbCorrections, readonly CompiledLimb[]>;

const compiledOf = new WeakMap<Rig, WeakMap<Topology, OfCorrections>>();

/** The limbs of a rig that can reach, made ready once for a character with its props, wherever these stand, and what was said of its limbs. */
export function compiledLimbs(rig: Rig, corrections: LimbCorrections): readonly CompiledLimb[] {
  const character = characterOf(rig);
  const ofCharacter = compiledOf.get(character) ?? new WeakMap<Topology, OfCorrections>();
  compiledOf.set(character, ofCharacter);
  const known: OfCorrections = ofCharacter.get(topologyOf(rig)) ?? new WeakMap();
  ofCharacter.set(topologyOf(rig), known);
  let limbs = known.get(corrections);
  if (!limbs) {
    limbs = limbsOf(rig, corrections).flatMap((limb) => {
      try {
        return [compileLimb(rig, limb)];
      } catch (error) {
        if (error instanceof LimbError) return [];
        throw error;
      }
    });
    known.set(corrections, limbs);
  }
  return limbs;
}

/** The limb whose end a joint is. */
export const limbThatEnds = (limbs: readonly CompiledLimb[], joint: number): CompiledLimb | undefined =>
  limbs.find(({ chain }) => chain[chain.length - 1] === joint);
