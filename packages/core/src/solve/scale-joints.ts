import type { Pose } from '../rig/pose.js';

/** Scales smaller than this turn a joint inside out. */
const LEAST = 0.01;
/** Factors nearer to 1 than this scale nothing. */
const SAME = 1e-9;

/**
 * The scale of joint `j` when it is so many times as large along each of its axes as in a pose. With `keepVolume` the axes
 * that stay as they were get thinner as much as the others get longer, so that the product of the three stays; where all
 * three change, they are divided by the cube root of their product.
 */
export function scaledBy(pose: Pose, j: number, factors: readonly number[], keepVolume = false): number[] {
  const held = factors.map((factor) => Math.max(LEAST, factor));
  const still = held.filter((factor) => Math.abs(factor - 1) < SAME).length;
  const product = held[0] * held[1] * held[2];
  const even = (factor: number): number => {
    if (!keepVolume || still === 3) return factor;
    if (still === 0) return factor / Math.cbrt(product);
    return Math.abs(factor - 1) < SAME ? product ** (-1 / still) : factor;
  };
  return held.map((factor, axis) => pose.scales[3 * j + axis] * even(factor));
}
