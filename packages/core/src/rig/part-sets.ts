import { type Part, type Parts, partNames } from './parts.js';
import { ownName } from './rig.js';

/** Halves and kinds of parts of the body that are weighed together. */
export const PART_SETS = ['upper', 'lower', 'left', 'right', 'arms', 'legs', 'head'] as const;
export type PartSet = (typeof PART_SETS)[number];

const IS_IN: Record<PartSet, RegExp> = {
  upper: /^(head|face|neck|torso)$|(Antenna|Arm|Hand|Wing|ForeLeg|ForeFoot)\d*$/,
  lower: /^(hips|tail\d*)$|(left|right|Hind)(Leg|Foot)\d*$/,
  left: /^left/,
  right: /^right/,
  arms: /(Arm|Hand|Wing)\d*$/,
  legs: /(Leg|Foot)\d*$/,
  head: /^(head|face|neck)$/,
};

/** The parts of a rig that are in a set; none where it has none such, as a dog has no arms. */
export const partsInSet = (parts: Parts, set: PartSet): Part[] =>
  partNames(parts).filter((part) => IS_IN[set].test(ownName(part)));
