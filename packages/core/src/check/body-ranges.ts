import type { Rig } from '../rig/rig.js';
import { charactersOf } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';

/**
 * How far a joint turns from a straight rest in degrees, by its role without side and number. Where no source is named it is
 * common practice. Sources: American Academy of Orthopaedic Surgeons, Joint Motion: Method of Measuring and Recording (1965),
 * values from memory: fingers bend by 90 to 100 degrees at each joint, elbow 150, knee 135, wrist 80, ankle 50, neck 45,
 * shoulder 180, hip 120.
 */
const TURNS: readonly [role: RegExp, degrees: number][] = [
  [/^(Index|Middle|Ring|Little)$/, 100],
  [/^Thumb$/, 80],
  [/^UpperArm$/, 180],
  [/^LowerArm$/, 150],
  [/^UpperLeg$/, 120],
  [/^LowerLeg$/, 150],
  [/^Hand$/, 80],
  [/^Foot$/, 50],
  [/^Toes$/, 65],
  [/^neck$/, 45],
  [/^head$/, 60],
  [/^jaw$/, 40],
  [/^Eye$/, 45],
];

/** The roles of arms and legs, by which their ranges are known. */
const LIMB = /^((Upper|Lower)(Arm|Leg)|Hand|Foot|Toes)$/;

/** How far the inner joints of limbs bend. */
const BENDS: readonly [role: RegExp, degrees: number][] = [
  [/^LowerArm$/, 150],
  [/^LowerLeg$/, 150],
];

/** What a body can do where no performance shows it. A joint that has no role of these may turn as it likes. */
export interface BodyRanges {
  /** Degrees by which each joint may turn from rest, and by which it may bend; infinite where nothing is said. */
  readonly turns: readonly number[];
  readonly bends: readonly number[];
  /** Whether each joint is of an arm or a leg, and its range is known. */
  readonly limb: readonly boolean[];
}

/** The ranges of the joints of a rig, by what they are to the body. */
export function bodyRanges(rig: Rig): BodyRanges {
  const all = charactersOf(rig).flatMap((one) => rolesOf(one.rig));
  const roles = rig.joints.map((_, j) => all[j]?.role.replace(/^(left|right)/, '').replace(/\d+$/, '') ?? '');
  const said = (table: typeof TURNS) => (role: string) =>
    table.find(([pattern]) => pattern.test(role))?.[1] ?? Number.POSITIVE_INFINITY;
  return {
    turns: roles.map(said(TURNS)),
    bends: roles.map(said(BENDS)),
    limb: roles.map((role) => LIMB.test(role)),
  };
}
