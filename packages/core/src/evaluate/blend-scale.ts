import { raise } from '../math/elementary.js';

const SMALLEST_SCALE = 1e-6;

/**
 * Blends the scale factors at `values[v..v+2]` into those at `scales[o..o+2]` by `α = alphas[k]`; one that is not a
 * number is left out. Factors are held at a millionth or more. `values` is used up.
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
    values[v + axis] = Math.max(SMALLEST_SCALE, values[v + axis]);
    if (additive) raise(values, v + axis, alphas, k);
    const below = scales[o + axis];
    const value = values[v + axis];
    scales[o + axis] = Math.max(
      SMALLEST_SCALE,
      additive ? below * value : (1 - alpha) * below + alpha * value,
    );
  }
}
