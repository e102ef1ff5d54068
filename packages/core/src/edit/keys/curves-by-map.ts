import { type Curve, type Key, keyAt, newKey } from '../../curve/curve.js';
import { curveAt } from '../../curve/evaluate.js';
import { DEGREES, type EulerOrder, RADIANS, unwindEuler } from '../../math/euler.js';

/** What is made of three numbers together: angles in degrees, or lengths. */
export type TripleMap = (values: readonly number[]) => number[];

/**
 * Three curves as a map makes them, exact at the frames at which one of them has a key. One that is missing counts as the
 * number of `missing`. With `order`, that of the angles that come out, each is the nearest to the one before.
 */
export function curvesByMap(
  curves: readonly (Curve | undefined)[],
  map: TripleMap,
  order: EulerOrder | undefined,
  missing: readonly number[] = [0, 0, 0],
): Curve[] {
  const frames = [...new Set(curves.flatMap((curve) => curve?.keys.map(({ frame }) => frame) ?? []))];
  frames.sort((a, b) => a - b);
  const easeAt = (frame: number) => {
    const keys = curves.flatMap((curve) => (curve && keyAt(curve, frame)) ?? []);
    return keys[0]?.ease === 'bezier' ? 'smooth' : (keys[0]?.ease ?? 'smooth');
  };
  const inRadians = (values: readonly number[]) => values.map((value) => value * RADIANS);
  let last: number[] | undefined;
  const rows = frames.map((frame) => {
    const values = map(curves.map((curve, axis) => (curve ? curveAt(curve, frame) : missing[axis])));
    if (order && last) {
      const angles = inRadians(values);
      unwindEuler(angles, 0, order, inRadians(last), 0);
      last = angles.map((angle) => angle * DEGREES);
    } else last = values;
    return last;
  });
  return [0, 1, 2].map((axis) => ({
    keys: frames.map((frame, k): Key => newKey(frame, rows[k][axis], easeAt(frame))),
  }));
}
