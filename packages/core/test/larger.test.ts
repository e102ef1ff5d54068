import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Curve, curveAt, largerOf } from '../src/curve/index.js';
import { anyCurve, curveOf } from './drawn-curve.js';

/** Whether a curve jumps within a hundred thousandth of a frame around one. */
const jumps = (curve: Curve, frame: number): boolean =>
  Math.abs(curveAt(curve, frame + 1e-5) - curveAt(curve, frame - 1e-5)) > 1e-3;

describe('the larger one of two curves', () => {
  it('is the larger number at every frame, and its keys ascend', () => {
    fc.assert(
      fc.property(
        anyCurve,
        anyCurve,
        fc.array(fc.double({ min: -20, max: 60, noNaN: true }), { minLength: 30 }),
        (a, b, drawn) => {
          const larger = largerOf(a, b);
          for (let i = 1; i < larger.keys.length; i++)
            expect(larger.keys[i].frame).toBeGreaterThan(larger.keys[i - 1].frame);
          const keys = [...a.keys, ...b.keys, ...larger.keys].map(({ frame }) => frame);
          for (const frame of [...drawn, ...keys.flatMap((key) => [key - 1e-3, key + 1e-3])]) {
            if ([a, b, larger].some((curve) => jumps(curve, frame))) continue;
            const wanted = Math.max(curveAt(a, frame), curveAt(b, frame));
            const size = 1 + Math.abs(wanted);
            expect(Math.abs(curveAt(larger, frame) - wanted)).toBeLessThan(2e-5 * size);
          }
        },
      ),
      { numRuns: 300 },
    );
  });

  it('is one of them where it is nowhere below the other', () => {
    const high = curveOf([0, 2], [10, 3]);
    expect(largerOf(high, curveOf([2, 0], [5, 1], [8, 0]))).toEqual(high);
    expect(largerOf({ keys: [] }, high)).toEqual(high);
    expect(largerOf(high, high)).toEqual(high);
  });
});
