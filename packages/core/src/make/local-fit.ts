import { quantile } from '../math/quantile.js';

/** Rounds in which values far off the fit lose their weight, and how many medians off they count nothing. */
const ROUNDS = 3;
const OUTLIERS = 6;

/**
 * What a parabola through values around a place is at that place: `count` values of 3 numbers in `values`, at the whole
 * numbers from `-before` on, the place being 0. Weights fall off as `(1 - |k/width|³)³`; values that are far off what the
 * others say lose theirs, so that a leap of one sample is no part of it (Cleveland, *Robust Locally Weighted Regression and
 * Smoothing Scatterplots*, 1979). Of fewer than four values it is their mean by weight. Written to `out`.
 */
export function localFit(
  out: Float64Array,
  values: Float64Array,
  count: number,
  before: number,
  width: number,
): void {
  const near = Float64Array.from({ length: count }, (_, i) => (1 - Math.abs((i - before) / width) ** 3) ** 3);
  const weights = near.slice();
  const off: number[] = new Array(count);
  for (let round = 0; ; round++) {
    const [a, b, c] = parabola(values, weights, before);
    out.set(a);
    if (round === ROUNDS || count < 4) return;
    for (let i = 0; i < count; i++) {
      const t = i - before;
      let square = 0;
      for (let axis = 0; axis < 3; axis++)
        square += (values[3 * i + axis] - a[axis] - b[axis] * t - c[axis] * t * t) ** 2;
      off[i] = Math.sqrt(square);
    }
    const usual = quantile(off.slice(), 0.5);
    if (usual < 1e-12) return;
    for (let i = 0; i < count; i++) {
      const u = off[i] / (OUTLIERS * usual);
      weights[i] = u < 1 ? near[i] * (1 - u * u) ** 2 : 0;
    }
  }
}

/** The parabola `a + b·t + c·t²` of the least squares by weight, of each of 3 numbers; a line or a mean where values are few. */
function parabola(
  values: Float64Array,
  weights: Float64Array,
  before: number,
): [number[], number[], number[]] {
  const m = [0, 0, 0, 0, 0];
  const r = [0, 1, 2].map(() => [0, 0, 0]);
  let used = 0;
  for (let i = 0; i < weights.length; i++) {
    const w = weights[i];
    if (w <= 1e-9) continue;
    used++;
    const t = i - before;
    for (let p = 0, power = w; p < 5; p++, power *= t) m[p] += power;
    for (let axis = 0; axis < 3; axis++)
      for (let p = 0, power = w; p < 3; p++, power *= t) r[axis][p] += power * values[3 * i + axis];
  }
  const none = [0, 0, 0];
  const det =
    m[0] * (m[2] * m[4] - m[3] * m[3]) -
    m[1] * (m[1] * m[4] - m[3] * m[2]) +
    m[2] * (m[1] * m[3] - m[2] * m[2]);
  if (used < 4 || det < 1e-9 * m[0] ** 3) return [r.map(([sum]) => sum / m[0]), none, none];
  const solved = r.map(([x, y, z]) => [
    (x * (m[2] * m[4] - m[3] * m[3]) - m[1] * (y * m[4] - m[3] * z) + m[2] * (y * m[3] - m[2] * z)) / det,
    (m[0] * (y * m[4] - z * m[3]) - x * (m[1] * m[4] - m[3] * m[2]) + m[2] * (m[1] * z - y * m[2])) / det,
    (m[0] * (m[2] * z - m[3] * y) - m[1] * (m[1] * z - y * m[2]) + x * (m[1] * m[3] - m[2] * m[2])) / det,
  ]);
  return [solved.map(([a]) => a), solved.map(([, b]) => b), solved.map(([, , c]) => c)];
}
