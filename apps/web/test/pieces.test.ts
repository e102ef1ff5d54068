import { findParts } from '@evlay/core/rig';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../../packages/demo/src/brindle/skeleton.js';
import { WICK } from '../../../packages/demo/src/wick/skeleton.js';
import { bodyMapShapes } from '../src/body-map/map-shapes.js';
import { freeName } from '../src/storage/names.js';
import { typedNumber } from '../src/ui/number-text.js';

describe('the body map', () => {
  type Point = readonly [number, number];
  const outlinesOf = (outline: string): Point[][] =>
    outline
      .split('M')
      .slice(1)
      .map((path) =>
        path
          .replace('Z', '')
          .split('L')
          .map((pair) => pair.trim().split(' ').map(Number) as [number, number]),
      );
  /** Whether a point lies in a polygon: how often a ray from it crosses the edges. */
  const inside = ([x, y]: Point, points: readonly Point[]): boolean =>
    points.filter(([ax, ay], i) => {
      const [bx, by] = points[(i + 1) % points.length];
      return ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax;
    }).length %
      2 ===
    1;
  /** The part that lies on top at a point. */
  const partAt = (map: ReturnType<typeof bodyMapShapes>, at: Point) =>
    map.parts.findLast(({ outline }) => outlinesOf(outline).some((points) => inside(at, points)))?.part;

  it('picks the head wherever the head is: at nine places of it', () => {
    const map = bodyMapShapes(WICK, findParts(WICK).slice(0, WICK.joints.length));
    const points = outlinesOf(map.parts.find(({ part }) => part === 'head')!.outline).flat();
    const [low, high] = [Math.min, Math.max].map((most) =>
      [0, 1].map((k) => most(...points.map((p) => p[k]))),
    );
    for (const u of [0.25, 0.5, 0.75])
      for (const v of [0.15, 0.5, 0.85])
        expect(partAt(map, [low[0] + u * (high[0] - low[0]), low[1] + v * (high[1] - low[1])])).toBe('head');
  });

  it('shows every paw of a dog where it can be hit: ten units across', () => {
    const map = bodyMapShapes(BRINDLE, findParts(BRINDLE));
    for (const { part, outline } of map.parts.filter(({ part }) => /Foot$/.test(part))) {
      const points = outlinesOf(outline).flat();
      const [x, y] = [0, 1].map(
        (k) => (Math.min(...points.map((p) => p[k])) + Math.max(...points.map((p) => p[k]))) / 2,
      );
      expect(partAt(map, [x, y])).toBe(part);
      for (const k of [0, 1])
        expect(Math.max(...points.map((p) => p[k])) - Math.min(...points.map((p) => p[k]))).toBeGreaterThan(
          10,
        );
    }
  });
});

describe('a typed number', () => {
  it('is one, or is added, multiplied, divided, or meant in a unit', () => {
    const units = { '%': 0.01, s: 30 };
    const typed = ['0.25', ' 1,5 ', '+0.1', '+-0.1', '*2', '/4', '50 %', '+10%', '-.5', '1e-2', '2 s', '+ 5'];
    expect(typed.map((text) => typedNumber(text, 0.4, units))).toEqual(
      [0.25, 1.5, 0.5, 0.3, 0.8, 0.1, 0.5, 0.5, -0.5, 0.01, 60, 5.4].map((value) =>
        expect.closeTo(value, 12),
      ),
    );
    for (const text of ['', 'x', '1 2', '/0', '5 m', '--1', '1e999', '5 constructor'])
      expect(typedNumber(text, 1, units)).toBeUndefined();
  });

  it('is what any number writes of itself', () => {
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e15, max: 1e15 }), (value) => {
        expect(typedNumber(String(value), 1)).toBe(value);
      }),
    );
  });
});

it('a project takes the next number where its name is taken', () => {
  expect(freeName('Quay', [])).toBe('Quay');
  expect(freeName('Quay', ['Quay', 'Quay 2'])).toBe('Quay 3');
  expect(freeName('Quay 2', ['Quay 2'])).toBe('Quay 3');
});
