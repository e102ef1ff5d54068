import { limbThatEnds } from '../rig/compiled-limbs.js';
import type { CompiledLimb } from '../rig/reach.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { topologyOf } from '../rig/topology.js';
import type { Mode } from './mode.js';
import type { Target } from './target.js';

/** What keeps a target from being one, in words for people, and which field of it; undefined where it can be one. */
export function targetRefusal(
  rig: Rig,
  limbs: readonly CompiledLimb[],
  { joint, space, toward, path }: Pick<Target, 'joint' | 'space' | 'toward' | 'path'>,
  mode: Mode,
): { field: 'joint' | 'space' | 'toward' | 'path'; reason: string } | undefined {
  const j = jointIndex(rig, joint);
  const limb = limbThatEnds(limbs, j);
  // The root is the top of the trunk, and moves itself all the same.
  const within = limbs.find(
    ({ chain }) => !isRoot(rig, j) && chain.includes(j) && chain[chain.length - 1] !== j,
  );
  if (!limb && within)
    return {
      field: 'joint',
      reason: `is within the limb “${within.name}”, expected its end ${rig.joints[within.chain[within.chain.length - 1]].name}`,
    };
  if (mode === 'additive' && space !== undefined)
    return { field: 'space', reason: 'an additive layer moves in its own axes, expected no space' };
  if (mode === 'additive' && toward)
    return { field: 'toward', reason: 'an additive layer has no direction of knee or elbow, expected none' };
  if (mode === 'additive' && path)
    return { field: 'path', reason: 'an additive layer moves in its own axes, expected no path' };
  if (path && limb) return { field: 'path', reason: 'is not for the end of a limb, expected a place' };
  if (toward && limb?.hanging)
    return { field: 'toward', reason: 'is for a limb that bends, and this one hangs, expected none' };
  if (toward && !limb) return { field: 'toward', reason: 'is for the end of a limb, expected none' };
  if (space === undefined) return undefined;
  if (isWithin(rig, jointIndex(rig, space), limb?.chain[0] ?? j))
    return { field: 'space', reason: 'hangs on what the target moves, expected a joint that does not' };
  return undefined;
}

/** Whether a joint is the root of a character. */
const isRoot = (rig: Rig, j: number): boolean => topologyOf(rig).spans.some(({ root }) => root === j);
