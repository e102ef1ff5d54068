import { type Part, type Parts, partNames } from './parts.js';

/** Halves and kinds of parts of the body that are weighed together. */
export const PART_SETS = ['upper', 'lower', 'left', 'right', 'arms', 'legs', 'head'] as const;
export type PartSet = (typeof PART_SETS)[number];

const IS_IN: Record<PartSet, RegExp> = {
  upper: /^(head|neck|torso)$|(Arm|Hand|ForeLeg|ForeFoot)$/,
  lower: /^(hips|tail)$|(left|right|Hind)(Leg|Foot)$/,
  left: /^left/,
  right: /^right/,
  arms: /(Arm|Hand)$/,
  legs: /(Leg|Foot)$/,
  head: /^(head|neck)$/,
};

/** The parts of a rig that are in a set; none where it has none such, as a dog has no arms. */
export const partsInSet = (parts: Parts, set: PartSet): Part[] =>
  partNames(parts).filter((part) => IS_IN[set].test(part));
