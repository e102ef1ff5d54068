import type { Limb } from '../rig/limbs.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { ownerOf } from '../rig/topology.js';

/**
 * What keeps a performance from being placed in the space of a joint, in words for people; undefined where nothing does. `content` are the
 * joints for which its layer has any.
 */
export function placementSpaceRefusal(
  rig: Rig,
  space: string,
  content: readonly number[],
): string | undefined {
  const j = jointIndex(rig, space);
  return content.some((root) => root >= 0 && rig.joints[root].parent < 0 && isWithin(rig, j, root))
    ? 'hangs on what is placed, expected a joint that does not'
    : undefined;
}

/** What keeps limbs, by their names, from standing on a joint, in words for people; undefined where nothing does. */
export function contactSpaceRefusal(
  rig: Rig,
  limbs: readonly Limb[],
  space: string,
  held: readonly string[],
): string | undefined {
  const owner = ownerOf(rig, jointIndex(rig, space));
  const own = limbs.some(
    ({ name, chain }) => held.includes(name) && ownerOf(rig, jointIndex(rig, chain[0])) === owner,
  );
  return own ? 'is of the character that stands on it, expected another’s joint or a prop' : undefined;
}
