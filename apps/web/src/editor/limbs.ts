import type { Rig } from '@evlay/core';
import { findLimbs } from '@evlay/core/rig';
import { type CompiledLimb, compileLimb, LimbError } from '@evlay/core/solve';

const found = new WeakMap<Rig, readonly CompiledLimb[]>();

/** The limbs of a rig that can reach, found once for each rig. */
export function limbsOf(rig: Rig): readonly CompiledLimb[] {
  let limbs = found.get(rig);
  if (!limbs) {
    limbs = findLimbs(rig).flatMap((limb) => {
      try {
        return [compileLimb(rig, limb)];
      } catch (error) {
        if (error instanceof LimbError) return [];
        throw error;
      }
    });
    found.set(rig, limbs);
  }
  return limbs;
}

/** The legs of a rig, which stand. */
export const legsOf = (rig: Rig): readonly CompiledLimb[] =>
  limbsOf(rig).filter(({ name }) => name.endsWith('Leg'));

/** The limb whose end a joint is. */
export const limbEndingAt = (rig: Rig, joint: number): CompiledLimb | undefined =>
  limbsOf(rig).find(({ chain }) => chain[chain.length - 1] === joint);
