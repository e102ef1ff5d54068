import fc from 'fast-check';
import { compileCurve, type Ease, evaluateCurve, type Handle } from '../src/curve/index.js';
import type { Curve } from '../src/index.js';

export type Draft = [frame: number, value: number, ease?: Ease, handles?: { in?: Handle; out?: Handle }];

/** A curve of keys as they are written; their ids are their places. */
export const curveOf = (...keys: Draft[]): Curve => ({
  keys: keys.map(([frame, value, ease = 'smooth', handles], i) => ({
    id: String(i),
    frame,
    value,
    ease,
    ...handles,
  })),
});

/** Value of a curve at a frame. */
export const at = (curve: Curve, frame: number): number => evaluateCurve(compileCurve(curve), frame);

const finite = (min: number, max: number) => fc.double({ min, max, noNaN: true });

const handle = fc.option(fc.tuple(fc.oneof(fc.constant(0), finite(0.01, 8)), finite(-30, 30)), {
  nil: undefined,
});

/** Curves of 2 to 8 keys with every ease, with and without handles. */
export const anyCurve: fc.Arbitrary<Curve> = fc
  .array(
    fc.tuple(
      finite(0.5, 12),
      fc.oneof(finite(-100, 100), fc.constant(10)),
      fc.constantFrom<Ease>('hold', 'linear', 'smooth', 'bezier'),
      handle,
      handle,
    ),
    { minLength: 2, maxLength: 8 },
  )
  .map((steps) => {
    let frame = -5;
    return curveOf(
      ...steps.map(([h, value, ease, into, out]): Draft => {
        frame += h;
        const handles = {
          ...(into && { in: [-into[0], into[1]] as const }),
          ...(out && { out }),
        };
        return [frame, value, ease, handles];
      }),
    );
  });
