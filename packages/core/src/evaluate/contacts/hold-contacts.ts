import { type Placed, placeAll } from '../../rig/placed.js';
import { reachIn } from '../../rig/reach.js';
import { frameOf } from '../../rig/topology.js';
import type { CompiledLayer } from '../compiled.js';
import { type ContactCache, findCorrections } from './contact-cache.js';
import { turnBack } from './contact-turns.js';

const goal = new Float64Array(3);
/** For each root how much the limbs of its character count at most. */
const most: number[] = [];

/**
 * Holds the limbs of a layer that keeps contacts at a frame around which was looked. `placed` knows where all joints are
 * and is kept so.
 */
export function holdContacts(
  placed: Placed,
  cache: ContactCache,
  { alphas, slots }: Pick<CompiledLayer, 'alphas' | 'slots'>,
  frame: number,
): void {
  const { step, now, reached, goals } = cache;
  const { limbs, lowered } = step;
  const { matrices, pose } = placed;
  findCorrections(cache, placed, frame);
  most.length = 0;
  for (let l = 0; l < limbs.length; l++) {
    const { limb, counts } = limbs[l];
    const alpha = slots[counts] < 0 ? 0 : alphas[slots[counts]];
    const r = lowered.indexOf(limbs[l].root);
    if (r >= 0) most[r] = Math.max(most[r] ?? 0, alpha);
    const end = 16 * limb.chain[limb.chain.length - 1] + 12;
    for (let axis = 0; axis < 3; axis++)
      goals[3 * l + axis] = matrices[end + axis] + alpha * now[3 * l + axis];
  }
  let comes = false;
  for (let r = 0; r < lowered.length; r++) {
    const down = most[r] * now[3 * limbs.length + r];
    if (!(down > 0)) continue;
    pose.translations[3 * lowered[r] + 1] -= down / (frameOf(placed.rig, lowered[r])?.scale ?? 1);
    comes = true;
  }
  if (comes) placeAll(placed);
  for (let l = 0; l < limbs.length; l++) {
    for (let axis = 0; axis < 3; axis++) goal[axis] = goals[3 * l + axis];
    const { limb } = limbs[l];
    reached[3 * l] = reachIn(placed, limb, goal);
    reached[3 * l + 1] = limb.snap[0];
    turnBack(placed, cache.turns, l, slots[limbs[l].counts] < 0 ? 0 : alphas[slots[limbs[l].counts]]);
  }
}
