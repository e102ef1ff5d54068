/** Standard deviations on both sides of a sample that are looked at. */
const REACH = 3;

/**
 * Evens out numbers over time, 3 a sample, by a normal distribution of a width in samples; at the ends by what there is of it.
 */
export function smoothed(values: Float64Array, width: number): Float64Array {
  const count = values.length / 3;
  const reach = Math.ceil(REACH * width);
  const weights = Float64Array.from({ length: reach + 1 }, (_, k) => Math.exp(-0.5 * (k / width) ** 2));
  const out = new Float64Array(values.length);
  for (let s = 0; s < count; s++) {
    let sum = 0;
    for (let k = Math.max(0, s - reach); k <= Math.min(count - 1, s + reach); k++) {
      const weight = weights[Math.abs(k - s)];
      sum += weight;
      for (let axis = 0; axis < 3; axis++) out[3 * s + axis] += weight * values[3 * k + axis];
    }
    for (let axis = 0; axis < 3; axis++) out[3 * s + axis] /= sum;
  }
  return out;
}
