import { type LimbCorrections, limbsOf } from './limbs.js';
import { type CompiledLimb, compileLimb, LimbError } from './reach.js';
import type { Rig } from './rig.js';

const compiledOf = new WeakMap<Rig, WeakMap<LimbCorrections, readonly CompiledLimb[]>>();

/** The limbs of a rig that can reach, made ready once for each rig and what was said of its limbs. */
export function compiledLimbs(rig: Rig, corrections: LimbCorrections): readonly CompiledLimb[] {
  const known = compiledOf.get(rig) ?? new WeakMap<LimbCorrections, readonly CompiledLimb[]>();
  compiledOf.set(rig, known);
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
