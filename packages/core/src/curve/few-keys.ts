import { type Curve, type Key, newKey } from './curve.js';
import { compileCurve, evaluateCurve } from './evaluate.js';

/**
 * A smooth curve with few keys that passes points `[frame, value]`, whose frames ascend, no further off than
 * `tolerance`: beginning with the first and the last point, of each stretch between two keys the point that is missed by
 * the most becomes a key, until none is missed (Douglas and Peucker, 1973, with curves in place of lines). `wanted` are
 * points that are keys anyway, by their places in the list.
 */
export function fewKeys(
  points: readonly (readonly [number, number])[],
  tolerance: number,
  wanted: readonly number[] = [],
): readonly Key[] {
  if (points.length === 0) return [];
  let chosen = [...new Set([0, ...wanted, points.length - 1])].sort((a, b) => a - b);
  for (;;) {
    const curve: Curve = { keys: chosen.map((i) => newKey(points[i][0], points[i][1])) };
    const compiled = compileCurve(curve);
    const next: number[] = [];
    for (let k = 0; k + 1 < chosen.length; k++) {
      next.push(chosen[k]);
      let worst = -1;
      let most = tolerance;
      for (let i = chosen[k] + 1; i < chosen[k + 1]; i++) {
        const off = Math.abs(evaluateCurve(compiled, points[i][0]) - points[i][1]);
        if (off > most) [worst, most] = [i, off];
      }
      if (worst >= 0) next.push(worst);
    }
    next.push(chosen[chosen.length - 1]);
    if (next.length === chosen.length || chosen.length === 1) return curve.keys;
    chosen = next;
  }
}
