import { Bezier } from 'bezier-js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  areJoined,
  flattened,
  handlesOfSegment,
  insertKey,
  SHAPES,
  setHandle,
  setHandles,
  shapeOf,
  simplified,
  unwound,
  withShape,
} from '../src/curve/index.js';
import type { Curve } from '../src/index.js';
import { anyCurve, at, curveOf } from './drawn-curve.js';

/** Frames all over a curve, and beyond both ends. */
function framesOf({ keys }: Curve, count = 160): number[] {
  const [a, b] = [keys[0].frame - 3, keys[keys.length - 1].frame + 3];
  return Array.from({ length: count }, (_, k) => a + ((b - a) * k) / (count - 1));
}

function expectSame(a: Curve, b: Curve, tolerance = 1e-7): void {
  for (const frame of framesOf(a)) {
    // A curve that stands upright on a frame has many values there.
    const steep = Math.abs(at(a, frame + 1e-7) - at(a, frame - 1e-7));
    expect(Math.abs(at(a, frame) - at(b, frame))).toBeLessThanOrEqual(tolerance + steep);
  }
}

const all = () => true;

describe('a key inserted on a curve', () => {
  it('leaves the curve as it is, whatever its segments are, again and again', () => {
    fc.assert(
      fc.property(
        anyCurve,
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 3 }),
        (curve, places) => {
          const [first, last] = [curve.keys[0].frame, curve.keys[curve.keys.length - 1].frame];
          const more = places.reduce(
            (current, u) => insertKey(current, first - 2 + u * (last - first + 4)),
            curve,
          );
          expectSame(curve, more);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('splits a Bezier segment as bezier-js does', () => {
    fc.assert(
      fc.property(
        fc.tuple(fc.double({ min: 0.5, max: 6, noNaN: true }), fc.double({ min: -9, max: 9, noNaN: true })),
        fc.tuple(fc.double({ min: 0.5, max: 6, noNaN: true }), fc.double({ min: -9, max: 9, noNaN: true })),
        fc.double({ min: 0.05, max: 0.95, noNaN: true }),
        (out, into, t) => {
          const curve = curveOf([0, 2, 'bezier', { out }], [9, 7, 'smooth', { in: [-into[0], into[1]] }]);
          const reference = new Bezier(0, 2, out[0], 2 + out[1], 9 - into[0], 7 + into[1], 9, 7);
          if (reference.derivative(t).x < 0.5) return;
          const { left, right } = reference.split(t);
          const split = insertKey(curve, reference.get(t).x).keys;
          const points = [0, 1].map((i) => {
            const { out: o, in: n } = handlesOfSegment(split, i);
            const [a, b] = [split[i], split[i + 1]];
            return [a.frame + o[0], a.value + o[1], b.frame + n[0], b.value + n[1]];
          });
          for (const [k, half] of [left, right].entries())
            for (const [c, value] of [
              half.points[1].x,
              half.points[1].y,
              half.points[2].x,
              half.points[2].y,
            ].entries())
              expect(points[k][c]).toBeCloseTo(value, 4);
        },
      ),
      { numRuns: 200 },
    );
  });
});

describe('handles', () => {
  it('set where they are change nothing; joined, they lie on one line and keep their frames', () => {
    fc.assert(
      fc.property(anyCurve, (curve) => {
        for (let i = 1; i + 1 < curve.keys.length; i++) {
          const { out } = handlesOfSegment(curve.keys, i);
          expectSame(curve, setHandle(curve, i, 'out', out, false));
          const [before, after] = [curve.keys[i - 1], curve.keys[i]];
          if (before.ease === 'hold' || after.ease === 'hold') continue;
          const turned = setHandle(curve, i, 'out', [Math.max(0.2, out[0]), 4], true);
          expect(areJoined(turned.keys, i)).toBe(true);
          expect(handlesOfSegment(turned.keys, i - 1).in[0]).toBeCloseTo(
            handlesOfSegment(curve.keys, i - 1).in[0],
            9,
          );
        }
        const flat = setHandles(curve, all, 'flat');
        for (const [i, key] of flat.keys.entries())
          if (i + 1 < flat.keys.length && key.ease !== 'hold')
            expect(handlesOfSegment(flat.keys, i).out[1]).toBeCloseTo(0, 12);
      }),
      { numRuns: 100 },
    );
  });

  it('automatic ones make a curve smooth again', () => {
    const smooth = curveOf([0, 0], [10, 5], [14, 6], [30, 2]);
    const pulled = setHandle(smooth, 1, 'out', [2, 8], true);
    expect(at(pulled, 12)).not.toBeCloseTo(at(smooth, 12), 2);
    expectSame(setHandles(pulled, all, 'automatic'), smooth);
  });
});

describe('shapes of keys', () => {
  it('soft and gentle are the published ease-in-out and ease of CSS Easing Functions', () => {
    // Points of cubic-bezier(x1, y1, x2, y2) at a parameter, by its definition.
    const timing = { soft: [0.42, 0, 0.58, 1], gentle: [0.25, 0.1, 0.25, 1] } as const;
    for (const [shape, [x1, y1, x2, y2]] of Object.entries(timing)) {
      const curve = withShape(curveOf([0, 3], [20, 13]), all, shape as 'soft');
      const css = new Bezier(0, 0, x1, y1, x2, y2, 1, 1);
      for (const t of [0.1, 0.3, 0.5, 0.7, 0.9]) {
        const { x, y } = css.get(t);
        expect(at(curve, 20 * x)).toBeCloseTo(3 + 10 * y, 9);
      }
    }
  });

  it.each(SHAPES)('%s is called what it is', (shape) => {
    const curve = withShape(
      curveOf([0, 0, 'linear'], [10, 5], [16, 1], [30, 2]),
      ({ id }) => id === '1',
      shape,
    );
    expect(shapeOf(curve.keys, 1)).toBe(shape);
    expect(at(curve, 10)).toBe(5);
  });

  it('a ball that falls 1 m and bounces is on the parabolas of g within 1 mm (g = 9.80665 m/s², CGPM 1901)', () => {
    const [fps, g] = [30, 9.80665];
    const fall = (height: number) => Math.sqrt((2 * height) / g) * fps;
    // Each bounce comes to half of the height before; keys stand at part frames.
    const drafts: Parameters<typeof curveOf> = [[0, 1]];
    const parabolas: { top: number; height: number; from: number; to: number }[] = [];
    let frame = 0;
    let height = 1;
    for (let bounce = 0; bounce < 3; bounce++) {
      const floor = frame + fall(height);
      parabolas.push({ top: frame, height, from: bounce === 0 ? 0 : frame - fall(height), to: floor });
      drafts.push([floor, 0]);
      height /= 2;
      frame = floor + fall(height);
      drafts.push([frame, height]);
    }
    // Common practice, from references.md: 1 m takes 13.55 frames at 30 a second.
    expect(drafts[1][0]).toBeCloseTo(13.55, 2);
    const curve = withShape(curveOf(...drafts), ({ value }) => value === 0, 'contact');
    for (const { top, height: h, from, to } of parabolas)
      for (let f = from; f <= to; f += 0.37) {
        const exact = h - (g / 2) * ((f - top) / fps) ** 2;
        expect(Math.abs(at(curve, f) - exact)).toBeLessThan(0.001);
      }
    for (const key of curve.keys)
      expect(key.value === 0 ? shapeOf(curve.keys, curve.keys.indexOf(key)) : 'contact').toBe('contact');
  });
});

describe('tidied curves', () => {
  it('simplified they stay within the tolerance, with their own keys and their ends', () => {
    fc.assert(
      fc.property(anyCurve, fc.double({ min: 0.01, max: 30, noNaN: true }), (curve, tolerance) => {
        const simple = simplified(curve, all, tolerance);
        expect(curve.keys).toEqual(expect.arrayContaining([...simple.keys]));
        expect(simple.keys[0]).toBe(curve.keys[0]);
        expect(simple.keys.at(-1)).toBe(curve.keys.at(-1));
        for (let f = curve.keys[0].frame; f <= curve.keys.at(-1)!.frame; f += 0.5)
          if (curve.keys.some((key) => Math.abs(key.frame - f) < 1e-9))
            expect(Math.abs(at(simple, f) - at(curve, f))).toBeLessThanOrEqual(tolerance);
        expectSame(simplified(curve, all, 0), curve);
      }),
      { numRuns: 150 },
    );
  });

  it('keys on a straight line go, the two at its ends stay', () => {
    const line = curveOf([0, 0, 'linear'], [4, 4, 'linear'], [9, 9, 'linear'], [20, 20]);
    expect(simplified(line, all, 1e-9).keys.map(({ frame }) => frame)).toEqual([0, 20]);
  });

  it('unwound angles take the short way and mean the same; what turns by half or less stays', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -1500, max: 1500 }), { minLength: 2, maxLength: 9 }),
        (angles) => {
          const curve = curveOf(...angles.map((angle, k): [number, number] => [4 * k, angle]));
          const short = unwound(curve, all);
          for (const [k, { value }] of short.keys.entries()) {
            expect((((value - angles[k]) % 360) + 360) % 360).toBeCloseTo(0, 9);
            if (k > 0) expect(Math.abs(value - short.keys[k - 1].value)).toBeLessThanOrEqual(180);
          }
          expect(unwound(short, all)).toBe(short);
        },
      ),
    );
  });

  it('a stretch flattened all the way lies on its mean, by half its swings are half as wide', () => {
    const curve = curveOf([0, 2], [5, 8], [10, 2], [15, 8]);
    expect(flattened(curve, all, 1).keys.map(({ value }) => value)).toEqual([5, 5, 5, 5]);
    for (const frame of framesOf(curve))
      expect(at(flattened(curve, all, 0.5), frame)).toBeCloseTo(5 + (at(curve, frame) - 5) / 2, 9);
  });
});
