import { hangingChain } from '../math/hanging-chain.js';
import { multiply, rotate, slerpBy } from '../math/quaternion.js';
import { type Placed, type TurnedChain, turnChain } from './placed.js';

/** Room for what is found of the bones of a limb that hangs. */
export interface Hanging {
  readonly lengths: Float64Array;
  /** Across and up, 2 numbers each. */
  readonly links: Float64Array;
}

/** Below this weight a limb goes over from how it stands to how it hangs. */
const COMES = 0.1;

const way = new Float64Array(3);
const wanted = new Float64Array(3);
const smallest = new Float64Array(4);
const share = new Float64Array(1);
const NONE = new Float64Array([0, 0, 0, 1]);

/**
 * Lets a limb hang from its top to a goal in the scene, as a rope or chain does: its links keep their lengths, each turns
 * by the smallest turn on from the one above, and the end keeps the orientation that it had. Out of reach it is straight.
 * Up is the second axis of the scene. Where it counts by less than a tenth it hangs in part, so that it never jumps.
 * Returns how far the end is from the goal then, in units of the rig.
 */
export function hangIn(
  placed: Placed,
  limb: TurnedChain & { readonly bones: Float64Array; readonly snap: Float64Array },
  { lengths, links }: Hanging,
  goal: Float64Array | readonly number[],
  alpha: number,
): number {
  const { matrices } = placed;
  const { chain, bones, turns, snap } = limb;
  snap.fill(0);
  const last = chain.length - 1;
  for (let k = 0; k < last; k++) {
    const [a, b] = [16 * chain[k] + 12, 16 * chain[k + 1] + 12];
    for (let axis = 0; axis < 3; axis++) bones[3 * k + axis] = matrices[b + axis] - matrices[a + axis];
    lengths[k] = Math.hypot(bones[3 * k], bones[3 * k + 1], bones[3 * k + 2]);
  }
  const top = 16 * chain[0] + 12;
  const x = goal[0] - matrices[top];
  const z = goal[2] - matrices[top + 2];
  const across = Math.hypot(x, z);
  // With one end right above the other any plane will do.
  const [cos, sin] = across > 1e-12 ? [x / across, z / across] : [1, 0];
  hangingChain(lengths, across, goal[1] - matrices[top + 1], links);
  const u = Math.min(1, Math.max(0, alpha / COMES));
  share[0] = u * u * (3 - 2 * u);
  for (let k = 0; k < last; k++) {
    const to = 4 * k;
    if (k === 0) turns.set(NONE, 0);
    else for (let c = 0; c < 4; c++) turns[to + c] = turns[to - 4 + c];
    rotate(way, 0, turns, to, bones, 3 * k);
    wanted[0] = links[2 * k] * cos;
    wanted[1] = links[2 * k + 1];
    wanted[2] = links[2 * k] * sin;
    setSmallest(lengths[k], cos, sin);
    multiply(turns, to, smallest, 0, turns, to);
  }
  if (share[0] < 1) for (let k = 0; k < last; k++) slerpBy(turns, 4 * k, NONE, 0, turns, 4 * k, share, 0);
  turnChain(placed, limb);
  const end = 16 * chain[last] + 12;
  return Math.hypot(goal[0] - matrices[end], goal[1] - matrices[end + 1], goal[2] - matrices[end + 2]);
}

/** Writes the smallest turn from `way`, which is `length` long, to `wanted`; half a turn within the plane where they are opposite. */
function setSmallest(length: number, cos: number, sin: number): void {
  const dot = (way[0] * wanted[0] + way[1] * wanted[1] + way[2] * wanted[2]) / length;
  if (dot < -1 + 1e-14) {
    smallest[0] = sin;
    smallest[1] = 0;
    smallest[2] = -cos;
    smallest[3] = 0;
    return;
  }
  smallest[0] = (way[1] * wanted[2] - way[2] * wanted[1]) / length;
  smallest[1] = (way[2] * wanted[0] - way[0] * wanted[2]) / length;
  smallest[2] = (way[0] * wanted[1] - way[1] * wanted[0]) / length;
  smallest[3] = 1 + dot;
  const size = Math.hypot(smallest[0], smallest[1], smallest[2], smallest[3]);
  for (let c = 0; c < 4; c++) smallest[c] /= size;
}
