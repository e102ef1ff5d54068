import type { Project } from '@evlay/core';
import {
  type CompiledLimb,
  compileLimb,
  type LimbCorrections,
  LimbError,
  limbsOf as limbsOfRig,
} from '@evlay/core/rig';

type RigAndLimbs = Pick<Project, 'rig' | 'limbs'>;

const compiled = new WeakMap<Project['rig'], WeakMap<LimbCorrections, readonly CompiledLimb[]>>();

/** The limbs of a character that can reach, made ready once for each rig and what was said of its limbs. */
export function limbsOf({ rig, limbs: corrections }: RigAndLimbs): readonly CompiledLimb[] {
  const ofRig = compiled.get(rig) ?? new WeakMap<LimbCorrections, readonly CompiledLimb[]>();
  compiled.set(rig, ofRig);
  let limbs = ofRig.get(corrections);
  if (!limbs) {
    limbs = limbsOfRig(rig, corrections).flatMap((limb) => {
      try {
        return [compileLimb(rig, limb)];
      } catch (error) {
        if (error instanceof LimbError) return [];
        throw error;
      }
    });
    ofRig.set(corrections, limbs);
  }
  return limbs;
}

/** The legs of a character, which stand. */
export const legsOf = (project: RigAndLimbs): readonly CompiledLimb[] =>
  limbsOf(project).filter(({ name }) => name.endsWith('Leg'));

/** The limb whose end a joint is. */
export const limbEndingAt = (project: RigAndLimbs, joint: number): CompiledLimb | undefined =>
  limbsOf(project).find(({ chain }) => chain[chain.length - 1] === joint);

/** The limb that a joint is in: the arm or leg before the trunk. */
export const limbWith = (project: RigAndLimbs, joint: number): CompiledLimb | undefined => {
  const having = limbsOf(project).filter(({ chain }) => chain.includes(joint));
  return having.find(({ name }) => name !== 'trunk') ?? having[0];
};
