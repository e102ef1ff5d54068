import type { Project } from '@evlay/core';
import { type CompiledLimb, compiledLimbs, limbThatEnds, ownName } from '@evlay/core/rig';

type RigAndLimbs = Pick<Project, 'rig' | 'limbs'>;

/** The limbs of a character that can reach. */
export const limbsOf = ({ rig, limbs }: RigAndLimbs): readonly CompiledLimb[] => compiledLimbs(rig, limbs);

/** The legs of a character, which stand. */
export const legsOf = (project: RigAndLimbs): readonly CompiledLimb[] =>
  limbsOf(project).filter(({ name }) => /Leg\d*$/.test(name));

/** The limb whose end a joint is. */
export const limbEndingAt = (project: RigAndLimbs, joint: number): CompiledLimb | undefined =>
  limbThatEnds(limbsOf(project), joint);

/** The limb that a joint is in: the arm or leg before the trunk. */
export const limbWith = (project: RigAndLimbs, joint: number): CompiledLimb | undefined => {
  const having = limbsOf(project).filter(({ chain }) => chain.includes(joint));
  return having.find(({ name }) => ownName(name) !== 'trunk') ?? having[0];
};
