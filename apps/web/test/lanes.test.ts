import { compileStack, newKey, newLayer, playing } from '@evlay/core';
import { largestAlpha, layerWeight, spanFactor } from '@evlay/core/evaluate';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cornersOf, topWeight, valueLine, weightToY, yToWeight } from '../src/lanes/weights/weight-shape.js';
import {
  framesPerPixel,
  frameToX,
  rulerStep,
  type TimeScale,
  wholeRange,
  xToFrame,
  zoomed,
} from '../src/timeline/time-scale.js';
import { projectOf } from './subject.js';

const scales = fc
  .tuple(
    fc.double({ min: -1e4, max: 1e4, noNaN: true }),
    fc.double({ min: 4, max: 1e5, noNaN: true }),
    fc.integer({ min: 80, max: 3000 }),
  )
  .map(([from, length, width]): TimeScale => ({ from, to: from + length, width }));

describe('the time axis', () => {
  it('frame and pixel are each other’s inverse', () => {
    fc.assert(
      fc.property(scales, fc.double({ min: -500, max: 3500, noNaN: true }), (scale, x) => {
        expect(frameToX(scale, xToFrame(scale, x))).toBeCloseTo(x, 6);
      }),
    );
  });

  it('has marks at steps of 1, 2 or 5 times a power of ten that leave the room asked for', () => {
    fc.assert(
      fc.property(scales, fc.integer({ min: 20, max: 120 }), (scale, room) => {
        const step = rulerStep(scale, room);
        expect(step / framesPerPixel(scale)).toBeGreaterThanOrEqual(room - 1e-9);
        expect(step).toBeGreaterThanOrEqual(1);
        expect([1, 2, 5]).toContain(Number((step / 10 ** Math.floor(Math.log10(step) + 1e-9)).toFixed(6)));
      }),
    );
  });

  it('a zoom keeps the frame under the pointer, and ends somewhere both ways', () => {
    const project = projectOf(5);
    const whole = wholeRange(project.range);
    const around = fc.double({ min: 0, max: 1, noNaN: true });
    fc.assert(
      fc.property(around, fc.double({ min: 0.01, max: 100, noNaN: true }), (share, factor) => {
        const frame = whole[0] + share * (whole[1] - whole[0]);
        const [from, to] = zoomed(whole, frame, factor, project.range);
        expect((frame - from) / (to - from)).toBeCloseTo(share, 9);
        expect(to - from).toBeGreaterThanOrEqual(4 - 1e-9);
        expect(to - from).toBeLessThanOrEqual(1.5 * (whole[1] - whole[0]) + 1e-9);
      }),
    );
  });
});

describe('the shape of a lane', () => {
  const scale: TimeScale = { from: 0, to: 100, width: 400 };
  const compiled = (values: Parameters<typeof newLayer>[2]) => {
    const project = projectOf(3);
    return compileStack({ ...project, layers: [...project.layers, newLayer('A', 'additive', values)] })
      .layers[1];
  };

  it('height and weight are each other’s inverse', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 2, noNaN: true }),
        fc.constantFrom(24, 64, 90),
        (weight, height) => {
          expect(yToWeight(weightToY(weight, 2, height), 2, height)).toBeCloseTo(weight, 9);
        },
      ),
    );
  });

  it('passes through the corners of span and weight, and is what counts', () => {
    const span = { start: 20.5, end: 70, fadeIn: 10, fadeOut: 7.5, shape: 'linear' as const };
    const weight = { keys: [newKey(0, 0.2), newKey(33.3, 1), newKey(90, 0.4)] };
    const layer = compiled({ span, weight });
    const line = valueLine((frame) => layerWeight(layer, frame), cornersOf([weight], span), scale, 64, 1);
    const points = line.split(' L').map((point) => point.split(' ').map(Number));
    const drawn = (x: number) => {
      const next = points.findIndex(([at]) => at >= x);
      const [[x0, y0], [x1, y1]] = [points[Math.max(0, next - 1)], points[next]];
      return x1 === x0 ? y1 : y0 + ((y1 - y0) * (x - x0)) / (x1 - x0);
    };
    for (const [frame, counts] of [
      [20.5, 0],
      [33.3, 1],
      [70, 0],
    ])
      expect(yToWeight(drawn(frameToX(scale, frame)), 1, 64)).toBeCloseTo(counts, 2);
    for (const [x, y] of points) {
      const frame = xToFrame(scale, x);
      if (Math.abs(frame - 20.5) < 0.1 || Math.abs(frame - 70) < 0.1) continue;
      if (spanFactor(span, frame) === 0) expect(y).toBeCloseTo(weightToY(0, 1, 64), 1);
      else expect(yToWeight(y, 1, 64)).toBeLessThanOrEqual(spanFactor(span, frame) + 0.02);
    }
    expect(points.every(([x], i) => i === 0 || x >= points[i - 1][0])).toBe(true);
  });

  it('shows where it counts most: one leg’s share is not the whole body’s', () => {
    const mask = {
      torso: { keys: [newKey(20, 0), newKey(40, 1)] },
      head: { keys: [newKey(60, 0), newKey(80, 0.5)] },
    };
    const layer = compiled({ weight: 0.8, mask, content: playing(projectOf(3).takes[0].id) });
    for (const [frame, most] of [
      [0, 0],
      [30, 0.4],
      [50, 0.8],
    ])
      expect(largestAlpha(layer, frame)).toBeCloseTo(most, 9);
    expect(largestAlpha(compiled({ weight: 1, mask: {} }), 50)).toBe(0);
    expect(largestAlpha(compiled({ weight: 1, joints: { Head: 0.25 } }), 50)).toBe(1);
  });

  it('has room for 2 only where an additive layer goes past 1', () => {
    expect(topWeight(compiled({ weight: 1 }))).toBe(1);
    expect(topWeight(compiled({ weight: { keys: [newKey(0, 0.5), newKey(9, 1.2)] } }))).toBe(2);
  });
});
