import { positionsAtRest } from '../rig/rest.js';
import type { Rig } from '../rig/rig.js';
import { type Role, rolesOf } from '../rig/roles.js';

/** A joint that turns as something between two joints of a capture: `part` of the way from `from` to `to`. */
export interface Shared {
  readonly from: number;
  readonly to: number;
  readonly part: number;
}

/** Parts of a chain by which places are told apart. */
const TINY = 1e-9;

/** Chains that bend as a whole: how many joints there are differs from skeleton to skeleton. */
export const STEMS = ['spine', 'neck', 'tail'] as const;

/** The joints of a chain, in the order of the skeleton. */
export const chainOf = (roles: readonly (Role | undefined)[], stem: string): number[] =>
  roles.flatMap((role, j) => (role && role.role.replace(/\d+$/, '') === stem ? [j] : []));

/**
 * How chains of another number of joints share the bend of a capture's: by length. A joint turns as the place of the
 * capture's chain that is as far along it, from the joint that the chain hangs on to its last, and the last ones go together.
 * A chain of as many joints, and one that was matched otherwise by hand, shares nothing. `follows` has for each joint of the
 * target the joint of the source that it follows, or -1; `usual` those that it follows where nobody says otherwise.
 */
export function sharedChains(
  source: Rig,
  target: Rig,
  follows: Int32Array,
  usual: (stem: string) => ReadonlyMap<number, number>,
): Map<number, Shared> {
  const [from, to] = [rolesOf(source), rolesOf(target)];
  const shared = new Map<number, Shared>();
  for (const stem of STEMS) {
    const [theirs, own] = [chainOf(from, stem), chainOf(to, stem)];
    if (theirs.length === own.length || theirs.length === 0 || own.length === 0) continue;
    const matched = usual(stem);
    if (own.some((j) => follows[j] !== matched.get(j))) continue;
    const [knots, places] = [alongFromAbove(source, theirs), alongFromAbove(target, own)];
    if (knots.length < 2) continue;
    for (const [j, place] of places) {
      if (!own.includes(j)) continue;
      const above = knots.findIndex(([, at]) => at >= place - TINY);
      const k = Math.max(1, above < 0 ? knots.length - 1 : above);
      const [[before, start], [after, end]] = [knots[k - 1], knots[k]];
      const part = end - start > TINY ? Math.min(1, Math.max(0, (place - start) / (end - start))) : 1;
      shared.set(j, { from: before, to: after, part });
    }
  }
  return shared;
}

/** The joint that a chain hangs on and those of the chain, each with how far along it lies: from 0 to 1 at the last. */
function alongFromAbove(rig: Rig, chain: readonly number[]): [joint: number, at: number][] {
  const positions = positionsAtRest(rig);
  const { parent } = rig.joints[chain[0]];
  const joints = parent < 0 ? [...chain] : [parent, ...chain];
  let way = 0;
  const ways = joints.map((j, k) => {
    if (k > 0)
      way += Math.hypot(
        ...[0, 1, 2].map((axis) => positions[3 * j + axis] - positions[3 * joints[k - 1] + axis]),
      );
    return way;
  });
  return joints.map((j, k) => [j, way > 0 ? ways[k] / way : k / Math.max(1, joints.length - 1)]);
}
