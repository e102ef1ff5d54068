import { rotate } from '../../math/quaternion.js';
import type { ContactStep } from './contact-step.js';

/**
 * A sight is where the limbs of a layer with contacts are at a frame, and the points of their ends that can stand: for each
 * limb {@link SIGHT} numbers, then 3 for each of its points; at the end 7 of the space on which they stand, where there is one.
 */

/** Of a limb: its top, its end, the sum of its bones, all in the scene. */
export const SIGHT = 7;
/** Behind all limbs and points: where the space is on which they stand, and how it is turned. */
const SPACE = 7;

/** How many numbers a sight has. */
export const sightSize = ({ limbs, space }: ContactStep): number =>
  limbs.reduce((sum, { points }) => sum + SIGHT + 3 * points.length, space < 0 ? 0 : SPACE);

/** A way in the space on which limbs stand becomes one in the scene, at the frame of a sight. */
export function turnIntoScene(
  { space }: ContactStep,
  sight: Float64Array,
  way: Float64Array,
  o: number,
): void {
  if (space >= 0) rotate(way, o, sight, sight.length - 4, way, o);
}

/** Writes a sight. The points that can stand are in the space on which they do. */
export function writeSight(
  { limbs, space }: ContactStep,
  matrices: Float64Array,
  orientations: Float64Array,
  sight: Float64Array,
): void {
  let o = 0;
  const own = sight.length - SPACE;
  if (space >= 0) {
    for (let axis = 0; axis < 3; axis++) sight[own + axis] = matrices[16 * space + 12 + axis];
    for (let c = 0; c < 4; c++) sight[own + 3 + c] = orientations[4 * space + c];
    for (let c = 0; c < 4; c++) back[c] = c < 3 ? -sight[own + 3 + c] : sight[own + 3 + c];
  }
  for (let l = 0; l < limbs.length; l++) {
    const { limb, points } = limbs[l];
    const { chain } = limb;
    const [top, end] = [16 * chain[0] + 12, 16 * chain[chain.length - 1] + 12];
    for (let axis = 0; axis < 3; axis++) {
      sight[o + axis] = matrices[top + axis];
      sight[o + 3 + axis] = matrices[end + axis];
    }
    sight[o + 6] = 0;
    for (let k = 1; k < chain.length; k++) {
      const [a, b] = [16 * chain[k - 1] + 12, 16 * chain[k] + 12];
      const x = matrices[b] - matrices[a];
      const y = matrices[b + 1] - matrices[a + 1];
      const z = matrices[b + 2] - matrices[a + 2];
      sight[o + 6] += Math.sqrt(x * x + y * y + z * z);
    }
    o += SIGHT;
    for (let p = 0; p < points.length; p++) {
      const { joint, offset } = points[p];
      const m = 16 * joint;
      for (let axis = 0; axis < 3; axis++)
        sight[o++] =
          matrices[m + axis] * offset[0] +
          matrices[m + 4 + axis] * offset[1] +
          matrices[m + 8 + axis] * offset[2] +
          matrices[m + 12 + axis];
      if (space < 0) continue;
      for (let axis = 0; axis < 3; axis++) sight[o - 3 + axis] -= sight[own + axis];
      rotate(sight, o - 3, back, 0, sight, o - 3);
    }
  }
}

const back = new Float64Array(4);

/** Where a limb begins in a sight. */
export function sightOf({ limbs }: ContactStep, l: number): number {
  let o = 0;
  for (let k = 0; k < l; k++) o += SIGHT + 3 * limbs[k].points.length;
  return o;
}
