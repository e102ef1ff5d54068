import { type Alignment, VELOCITY_COUNTS } from './distance.js';
import type { Performance } from './performance.js';
import type { Foot, Region } from './regions.js';

/** Two performances over each other: the upper one placed, and read at the samples of the lower one. */
export interface Placed {
  readonly lower: Performance;
  readonly upper: Performance;
  /** What is added to a sample of the lower performance for the one of the upper that plays then. */
  readonly shift: number;
  /** World positions and velocities of the upper one as it is placed, laid out as its own. */
  readonly positions: Float64Array;
  readonly velocities: Float64Array;
}

export function placeOver(
  lower: Performance,
  upper: Performance,
  shift: number,
  { turn, x, z }: Alignment,
): Placed {
  const [c, n] = [Math.cos(turn), Math.sin(turn)];
  const positions = new Float64Array(upper.positions.length);
  const velocities = new Float64Array(upper.velocities.length);
  for (let k = 0; k < positions.length; k += 3) {
    positions[k] = upper.positions[k] * c + upper.positions[k + 2] * n + x;
    positions[k + 1] = upper.positions[k + 1];
    positions[k + 2] = -upper.positions[k] * n + upper.positions[k + 2] * c + z;
    velocities[k] = upper.velocities[k] * c + upper.velocities[k + 2] * n;
    velocities[k + 1] = upper.velocities[k + 1];
    velocities[k + 2] = -upper.velocities[k] * n + upper.velocities[k + 2] * c;
  }
  return { lower, upper, shift, positions, velocities };
}

/** Whether both performances have a sample there. */
export const isThere = ({ lower, upper, shift }: Placed, s: number): boolean =>
  s >= 0 && s < lower.count && s + shift >= 0 && s + shift < upper.count;

/** How far a region of the two performances is apart at a sample, velocities included. */
export function regionDistance(placed: Placed, { joints }: Region, s: number): number {
  const { lower, shift, positions, velocities } = placed;
  let sum = 0;
  let mass = 0;
  for (const j of joints) {
    const o = 3 * (s * lower.joints + j);
    const q = 3 * ((s + shift) * lower.joints + j);
    let square = 0;
    for (let k = 0; k < 3; k++)
      square +=
        (lower.positions[o + k] - positions[q + k]) ** 2 +
        (VELOCITY_COUNTS * (lower.velocities[o + k] - velocities[q + k])) ** 2;
    sum += lower.masses[j] * square;
    mass += lower.masses[j];
  }
  return mass > 0 ? Math.sqrt(sum / mass) : 0;
}

/** The point of a foot that is lowest at a sample. */
export function lowestPoint(positions: Float64Array, joints: number, { points }: Foot, s: number): number {
  let lowest = points[0];
  for (const j of points)
    if (positions[3 * (s * joints + j) + 1] < positions[3 * (s * joints + lowest) + 1]) lowest = j;
  return lowest;
}

/** Whether a foot stands in the one, and in the other performance. */
export const standsIn = ({ lower, upper, shift }: Placed, { joint }: Foot, s: number): [boolean, boolean] => [
  lower.stands.get(joint)?.[s] === 1,
  upper.stands.get(joint)?.[s + shift] === 1,
];

/**
 * By how much the upper performance has to be moved on the floor so that a foot stands where it stands in the lower one: once
 * for every time around sample `s` at which it stands in both.
 */
export function standingOn(placed: Placed, foot: Foot, s: number, around: number): [number, number][] {
  const { lower, shift, positions } = placed;
  const moves: [number, number][] = [];
  let stood = false;
  for (let f = s - around; f <= s + around; f++) {
    const stands = isThere(placed, f) && standsIn(placed, foot, f).every(Boolean);
    if (stands && !stood) {
      const j = lowestPoint(lower.positions, lower.joints, foot, f);
      const o = 3 * (f * lower.joints + j);
      const q = 3 * ((f + shift) * lower.joints + j);
      moves.push([lower.positions[o] - positions[q], lower.positions[o + 2] - positions[q + 2]]);
    }
    stood = stands;
  }
  return moves;
}
