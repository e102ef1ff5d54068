import { type Curve, type Key, newKey } from './curve.js';
import { compileCurve, evaluateCurve } from './evaluate.js';

/**
 * A smooth curve with few keys that passes points `[frame, value]`, whose frames ascend, no further off than
 * `tolerance`: beginning with the first and the last point, the one that is missed by the most becomes a key, until
 * none is missed (Douglas and Peucker, 1973, with curves in place of lines). `wanted` are points that are keys anyway, by
 * their places in the list.
 */
export function fewKeys(
  points: readonly (readonly [number, number])[],
  tolerance: number,
  wanted: readonly number[] = [],
): readonly Key[] {
  if (points.length === 0) return [];
  const chosen = new Set([0, ...wanted, points.length - 1]);
  for (;;) {
    const curve: Curve = {
      keys: [...chosen].sort((a, b) => a - b).map((i) => newKey(points[i][0], points[i][1])),
    };
    const compiled = compileCurve(curve);
    let worst = -1;
    let most = tolerance;
    for (const [i, [frame, value]] of points.entries()) {
      const off = Math.abs(evaluateCurve(compiled, frame) - value);
      if (off > most) [worst, most] = [i, off];
    }
    if (worst < 0 || chosen.has(worst)) return curve.keys;
    chosen.add(worst);
  }
}
