import { feetOf } from '../make/contacts.js';
import { type Part, type Parts, partLabel, partNames } from '../rig/parts.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';

/** What a leg stands on: a joint, by name, and all points that hang on it. */
export interface Foot {
  readonly joint: string;
  readonly points: readonly number[];
}

/** Parts of the body that change over together. */
export interface Region {
  readonly name: string;
  readonly parts: readonly Part[];
  /** Indices of their joints. */
  readonly joints: readonly number[];
  /** Of a leg, what it stands on. */
  readonly foot?: Foot;
}

/**
 * What a part goes over with: a leg with its foot, an arm with its hand, the head with the face and the neck, a wing, a fin
 * or a tentacle by itself, all else with the trunk.
 */
function regionOf(part: Part): string {
  const leg = /^(.*)(?:Leg|Foot)(\d*)$/.exec(part);
  if (leg) return `${leg[1]}Leg${leg[2]}`;
  const arm = /^(.*)(?:Arm|Hand)(\d*)$/.exec(part);
  if (arm) return `${arm[1]}Arm${arm[2]}`;
  if (/(wing|fin|tentacle)\d*$/i.test(part)) return part;
  return /^(head|face|neck|.*antenna)\d*$/i.test(part) ? 'head' : 'trunk';
}

/** The regions of a rig: each leg, each arm, the head, and the trunk with all that is in none of them. */
export function regionsOf(rig: Rig, parts: Parts): Region[] {
  const byName = new Map<string, Part[]>();
  for (const part of partNames(parts)) {
    const name = regionOf(part);
    byName.set(name, [...(byName.get(name) ?? []), part]);
  }
  const feet = feetOf(rig);
  return [...byName].map(([name, own]) => {
    const joints = parts.flatMap((part, j) => (own.includes(part) ? [j] : []));
    const foot = feet.find((one) => joints.includes(jointIndex(rig, one)));
    return {
      name: partLabel(name),
      parts: own,
      joints,
      ...(foot &&
        /Leg\d*$/.test(name) && {
          foot: { joint: foot, points: joints.filter((j) => isWithin(rig, j, jointIndex(rig, foot))) },
        }),
    };
  });
}
