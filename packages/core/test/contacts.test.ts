import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { walk } from '../../demo/src/wick/walk.js';
import { random } from '../bench/subject.js';
import { readTake } from '../src/format/index.js';
import { findContacts } from '../src/make/index.js';
import { type Motion, resampled } from '../src/take/index.js';
import { captureBytes } from './capture.js';
import { type ReferencePose, worldOf } from './reference-math.js';

/** The sample `s` of a motion that records all rotations, as the plain evaluator wants it. */
function poseOf({ rig, rotations, translations }: Motion, s: number): ReferencePose {
  const row = (values: Float64Array, entries: number, size: number, entry: number) => [
    ...values.subarray((s * entries + entry) * size, (s * entries + entry + 1) * size),
  ];
  const find = (joints: Int32Array, j: number) => [...joints].indexOf(j);
  return {
    translations: rig.joints.map(({ translation }, j) => {
      const entry = find(translations.joints, j);
      return entry < 0 ? [...translation] : row(translations.values, translations.joints.length, 3, entry);
    }),
    rotations: rig.joints.map(({ rotation }, j) => {
      const entry = find(rotations.joints, j);
      return entry < 0 ? [...rotation] : row(rotations.values, rotations.joints.length, 4, entry);
    }),
    scales: rig.joints.map(() => [1, 1, 1]),
    faces: [],
  };
}

/**
 * When a foot stands in a clean motion, in seconds: while its ankle or its toes are within 4 cm of where they are lowest
 * and, over a twentieth of a second, slower than 0.3 m/s. Common practice.
 */
function standing(motion: Motion, metres: number, feet: readonly (readonly [string, string])[]) {
  const { rig, count, interval } = motion;
  const places = Array.from({ length: count }, (_, s) => worldOf(rig, poseOf(motion, s)).positions);
  const at = (name: string, s: number) => places[s][rig.joints.findIndex((joint) => joint.name === name)];
  const floorOf = (name: string) =>
    Array.from({ length: count }, (_, s) => at(name, s)[1]).sort((a, b) => a - b)[Math.floor(count / 20)];
  const reach = Math.max(1, Math.round(0.025 / interval));
  return feet.map((points) => {
    const floors = points.map((_, p) => Math.min(...feet.map((foot) => floorOf(foot[p]))));
    const spans: [number, number][] = [];
    for (let s = 0; s < count; s++) {
      const [a, b] = [Math.max(0, s - reach), Math.min(count - 1, s + reach)];
      const stands = points.some((name, p) => {
        const [from, to] = [at(name, a), at(name, b)];
        const speed = (Math.hypot(...to.map((v, k) => v - from[k])) * metres) / ((b - a) * interval);
        return (at(name, s)[1] - floors[p]) * metres < 0.04 && speed < 0.3;
      });
      if (!stands) continue;
      const last = spans[spans.length - 1];
      if (last && s * interval - last[1] < 0.08) last[1] = s * interval;
      else spans.push([s * interval, s * interval]);
    }
    return spans.filter(([from, to]) => to - from > 0.09);
  });
}

/** The same with normal noise on the place of every joint against its parent, on each axis (Box and Muller, 1958). */
function withNoise(motion: Motion, deviation: number, seed: number): Motion {
  const next = random(seed);
  const normal = () => Math.sqrt(-2 * Math.log(1 - next())) * Math.cos(2 * Math.PI * next());
  const { rig, count } = motion;
  const places = Array.from({ length: count }, (_, s) => poseOf(motion, s).translations);
  return {
    ...motion,
    translations: {
      joints: Int32Array.from(rig.joints.keys()),
      size: 3,
      values: Float64Array.from(places.flat(2), (value) => value + deviation * normal()),
    },
  };
}

describe('contacts under noise', () => {
  const { take } = readTake('01_01.bvh', captureBytes());
  const BODIES: readonly [string, Motion, number, readonly (readonly [string, string])[]][] = [
    ['a capture', take, 0.0564, ['Left', 'Right'].map((side) => [`${side}Foot`, `${side}ToeBase`] as const)],
    [
      'a walk by rule',
      { ...walk(), rig: WICK },
      1,
      ['Left', 'Right'].map((side) => [`${side}Foot`, `${side}Toes`] as const),
    ],
  ];

  it.each(BODIES)('of %s are found at every rate, and none in two pieces', (_, clean, metres, feet) => {
    const truth = standing(clean, metres, feet);
    for (const rate of [24, 30, 60, 100, 120]) {
      const motion = withNoise(resampled(clean, rate), 0.005 / metres, rate);
      const { spans } = findContacts(motion, metres);
      let [stand, found, wrong] = [0, 0, 0];
      // The truth is known to a twentieth of a second.
      const near = Math.max(0.05, 2 / rate);
      for (const [f, [foot]] of feet.entries()) {
        const mine = spans.filter(({ joint }) => joint === foot);
        for (const [from, to] of truth[f]) {
          const [a, b] = [from * rate, to * rate];
          expect(mine.filter((span) => span.to > a && span.from < b).length, `${foot} at ${from} s`).toBe(1);
          for (let s = Math.ceil(a); s <= b; s++) {
            stand++;
            if (mine.some((span) => s >= span.from - 2 && s <= span.to + 2)) found++;
          }
        }
        for (const span of mine)
          for (let s = span.from; s <= span.to; s++)
            if (!truth[f].some(([from, to]) => s / rate >= from - near && s / rate <= to + near)) wrong++;
      }
      expect(found / stand, `found at ${rate}`).toBeGreaterThan(0.95);
      expect(wrong / stand, `not standing at ${rate}`).toBeLessThan(0.05);
    }
  });

  it('do not hang on the last digit of a frame time', () => {
    for (const rate of [24, 30, 60, 100, 120]) {
      const motion = withNoise(resampled(take, rate), 0.005 / 0.0564, 3);
      const { spans } = findContacts(motion, 0.0564);
      for (const by of [-1e-7, 1e-7])
        expect(findContacts({ ...motion, interval: motion.interval + by }, 0.0564).spans).toEqual(spans);
    }
  });
});
