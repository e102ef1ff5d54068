import { Bezier } from 'bezier-js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileCurve, evaluateCurve, mergedKeys, setKey } from '../src/curve/index.js';
import { at, curveOf, type Draft } from './drawn-curve.js';

const keyed = fc
  .array(
    fc.tuple(fc.double({ min: 0.01, max: 20, noNaN: true }), fc.double({ min: -100, max: 100, noNaN: true })),
    {
      minLength: 1,
      maxLength: 12,
    },
  )
  .map((steps) => {
    let frame = -5;
    return curveOf(
      ...steps.map(([h, value]): Draft => {
        frame += h;
        return [frame, value];
      }),
    );
  });

describe('curves', () => {
  it('hold their end values and go through every key', () => {
    fc.assert(
      fc.property(keyed, (curve) => {
        const { keys } = curve;
        expect(at(curve, keys[0].frame - 100)).toBe(keys[0].value);
        expect(at(curve, keys[keys.length - 1].frame + 100)).toBe(keys[keys.length - 1].value);
        for (const key of keys) expect(at(curve, key.frame)).toBe(key.value);
      }),
    );
  });

  it('smooth never leaves the range of its two keys, and has no kink (Fritsch and Carlson 1980)', () => {
    fc.assert(
      fc.property(keyed, fc.double({ min: 0, max: 1, noNaN: true }), (curve, u) => {
        const compiled = compileCurve(curve);
        for (let i = 0; i + 1 < curve.keys.length; i++) {
          const [a, b] = [curve.keys[i], curve.keys[i + 1]];
          const value = evaluateCurve(compiled, a.frame + u * (b.frame - a.frame));
          const slack = 1e-9 * (1 + Math.abs(a.value) + Math.abs(b.value));
          expect(value).toBeGreaterThanOrEqual(Math.min(a.value, b.value) - slack);
          expect(value).toBeLessThanOrEqual(Math.max(a.value, b.value) + slack);
        }
        for (const key of curve.keys.slice(1, -1)) {
          const e = 1e-4;
          const left = (key.value - evaluateCurve(compiled, key.frame - e)) / e;
          const right = (evaluateCurve(compiled, key.frame + e) - key.value) / e;
          // A cubic over h frames of rise r bends by at most about 12 r / h².
          const spacing = Math.min(...curve.keys.slice(1).map((k, i) => k.frame - curve.keys[i].frame));
          expect(Math.abs(left - right)).toBeLessThan((24 * 200 * e) / spacing ** 2 + 1e-6);
        }
      }),
    );
  });

  it('smooth is the cubic Hermite spline with the documented slopes (glTF 2.0, appendix C, cubic spline)', () => {
    // Worked by hand: rises 10 over 10 and 30 over 10, slope (10 + 30) / 20 = 2, within 3 · min(1, 3) = 3.
    const curve = curveOf([0, 0], [10, 10], [20, 40]);
    const hermite = (t: number, h: number, p0: number, m0: number, p1: number, m1: number) =>
      (2 * t ** 3 - 3 * t ** 2 + 1) * p0 +
      h * (t ** 3 - 2 * t ** 2 + t) * m0 +
      (-2 * t ** 3 + 3 * t ** 2) * p1 +
      h * (t ** 3 - t ** 2) * m1;
    for (const t of [0.1, 0.25, 0.5, 0.9]) {
      expect(at(curve, 10 * t)).toBeCloseTo(hermite(t, 10, 0, 0, 10, 2), 12);
      expect(at(curve, 10 + 10 * t)).toBeCloseTo(hermite(t, 10, 10, 2, 40, 0), 12);
    }
    // Rises 1 and 90 over 10 each: the chord's 4.55 is limited to 3 · 0.1.
    const steep = curveOf([0, 0], [10, 1], [20, 91]);
    expect(at(steep, 5)).toBeCloseTo(hermite(0.5, 10, 0, 0, 1, 0.3), 12);
  });

  it('bezier agrees with bezier-js, handles clamped so that time never runs backwards', () => {
    const handle = fc.tuple(
      fc.double({ min: -5, max: 25, noNaN: true }),
      fc.double({ min: -30, max: 30, noNaN: true }),
    );
    fc.assert(
      fc.property(handle, handle, fc.double({ min: 0.02, max: 0.98, noNaN: true }), (out, into, u) => {
        const h = 10;
        const curve = curveOf([0, 2, 'bezier', { out }], [h, 7, 'smooth', { in: [-into[0], into[1]] }]);
        const x1 = Math.min(h, Math.max(0, out[0]));
        const x2 = h + Math.min(0, Math.max(-h, -into[0]));
        const reference = new Bezier(0, 2, x1, 2 + out[1], x2, 7 + into[1], h, 7);
        const point = reference.get(u);
        // Where the curve stands upright one frame has many values; elsewhere the point lies on it.
        if (reference.derivative(u).x < 0.5) return;
        expect(at(curve, point.x)).toBeCloseTo(point.y, 6);
      }),
      { numRuns: 400 },
    );
  });

  it('bezier gives the easing of CSS ease-in-out (CSS Easing Functions: cubic-bezier(0.42, 0, 0.58, 1))', () => {
    const curve = curveOf([0, 0, 'bezier', { out: [0.42, 0] }], [1, 1, 'smooth', { in: [-0.42, 0] }]);
    expect(at(curve, 0.5)).toBeCloseTo(0.5, 12);
    expect(at(curve, 0.25) + at(curve, 0.75)).toBeCloseTo(1, 12);
    // Reference point at parameter 0.25 of the published control points.
    const x = 3 * 0.75 ** 2 * 0.25 * 0.42 + 3 * 0.75 * 0.25 ** 2 * 0.58 + 0.25 ** 3;
    expect(at(curve, x)).toBeCloseTo(3 * 0.75 * 0.25 ** 2 + 0.25 ** 3, 12);
  });

  it('hold and linear, and a frame within a millionth of a key', () => {
    const curve = curveOf([0, 1, 'hold'], [10, 5, 'linear'], [20, 7]);
    expect(at(curve, 9.99)).toBe(1);
    expect(at(curve, 10 - 5e-7)).toBe(5);
    expect(at(curve, 15)).toBe(6);
  });

  it('setting and joining keys keeps them in order, one a frame', () => {
    fc.assert(
      fc.property(keyed, keyed, fc.integer({ min: -10, max: 60 }), (curve, added, frame) => {
        const set = setKey(curve, frame, 3);
        expect(at(set, frame)).toBe(3);
        const joined = { keys: mergedKeys(set.keys, added.keys) };
        for (const key of added.keys) expect(at(joined, key.frame)).toBe(key.value);
        for (const { keys } of [set, joined]) {
          for (let i = 1; i < keys.length; i++) expect(keys[i].frame).toBeGreaterThan(keys[i - 1].frame);
        }
      }),
    );
  });
});
