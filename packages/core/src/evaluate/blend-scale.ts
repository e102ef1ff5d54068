import { raise } from '../math/elementary.js';

/** Factors that are divided by or raised to a power, and those that come out of a stack, are held at this or more. */
export const SMALLEST_SCALE = 1e-6;

/**
 * Blends the scale factors at `values[v..v+2]` into those at `scales[o..o+2]` by `α = alphas[k]`; one that is not a
 * number is left out. `values` is used up.
 */
export function blendScales(
  scales: Float64Array,
  o: number,
  values: Float64Array,
  v: number,
  additive: boolean,
  alphas: Float64Array,
  k: number,
): void {
  const alpha = alphas[k];
  for (let axis = 0; axis < 3; axis++) {
    if (Number.isNaN(values[v + axis])) continue;
    if (additive) {
      values[v + axis] = Math.max(SMALLEST_SCALE, values[v + axis]);
      raise(values, v + axis, alphas, k);
      scales[o + axis] *= values[v + axis];
    } else scales[o + axis] = (1 - alpha) * scales[o + axis] + alpha * values[v + axis];
  }
}

/** Holds the scale factors that come out of a whole stack. */
export function holdScales(scales: Float64Array): void {
  for (let i = 0; i < scales.length; i++) if (scales[i] < SMALLEST_SCALE) scales[i] = SMALLEST_SCALE;
}
