import { describe, expect, it } from 'vitest';
import { random, rigOfSize, takeOfSize } from '../bench/subject.js';
import { writeBvh } from '../src/format/index.js';
import type { Rig } from '../src/index.js';
import { DEGREES, EULER_ORDERS, quaternionToEuler, unwindEuler } from '../src/math/euler.js';
import type { Samples, Track } from '../src/take/index.js';

/** Numbers on which rounding, carrying and the number of digits hang, and some that have too many. */
const HARD = [
  ...[0, -0, 1e-7, -4e-7, 5e-7, -5e-7, 0.9999995, 999.9999995, -999999.9999996, 4294.967295, 4294.9672955],
  ...[1e9, 123456789.25, -4503599627.5, 9007199254.5, 9.1e9, -1e12, 1e22],
];

/** Samples of joints that turn at random, stand in poles, do not turn at all, and stand anywhere. */
function drawn(seed: number): { rig: Rig; samples: Samples } {
  const next = random(seed);
  const one = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)];
  const n = 1 + Math.floor(next() * 9);
  const plain = rigOfSize(n);
  const rig: Rig = {
    ...plain,
    joints: plain.joints.map((joint) => ({ ...joint, order: one(EULER_ORDERS) })),
  };
  const count = 400;
  const { rotations } = takeOfSize(rig, count, seed);
  for (let o = 0; o < rotations.values.length; o += 4) {
    const kind = next();
    const half = one([Math.SQRT1_2, -Math.SQRT1_2]);
    if (kind < 0.3) rotations.values.fill(0, o, o + 4);
    if (kind < 0.15) rotations.values[o + Math.floor(4 * next())] = 1;
    else if (kind < 0.29) {
      rotations.values[o + Math.floor(3 * next())] = half;
      rotations.values[o + 3] = Math.SQRT1_2;
    }
  }
  const all = Int32Array.from({ length: n }, (_, j) => j);
  const values = Float64Array.from({ length: 3 * n * count }, () =>
    next() < 0.05 ? one(HARD) : (next() - 0.5) * 10 ** (Math.floor(16 * next()) - 6),
  );
  const scales: Track = { joints: all, size: 3, values: new Float64Array(3 * n * count).fill(1) };
  const faces: Track = { joints: new Int32Array(), size: 1, values: new Float64Array() };
  const translations: Track = { joints: all, size: 3, values };
  return { rig, samples: { count, interval: 1 / 30, rotations, translations, scales, faces } };
}

/** Six decimals; what has more digits than a double can count is written as JavaScript does. */
function written(value: number): string {
  const millionths = Math.round(Math.abs(value) * 1e6);
  if (!Number.isSafeInteger(millionths)) return value.toFixed(6);
  const digits = String(millionths).padStart(7, '0');
  return `${value < 0 && millionths > 0 ? '-' : ''}${digits.slice(0, -6)}.${digits.slice(-6)}`;
}

describe('rows of a BVH', () => {
  it('have the angles and digits that plain code finds, in poles, over turns and for numbers of any size', () => {
    let rows = 0;
    for (let seed = 1; seed <= 30; seed++) {
      const { rig, samples } = drawn(seed);
      const n = rig.joints.length;
      const [head, motion] = new TextDecoder()
        .decode(writeBvh(rig, samples).bytes)
        .split(/(?<=Frame Time.*\n)/);
      const channels = head.match(/CHANNELS.*/g)!.map((line) => line.split(' ').slice(2));
      const names = [...head.matchAll(/(?:ROOT|JOINT) joint(\d+)/g)].map(([, number]) => Number(number));
      expect(names).toHaveLength(n);
      const before = new Float64Array(3 * n);
      for (const [s, line] of motion.trimEnd().split('\n').entries()) {
        const cells = names.flatMap((j, k) => {
          const angles = new Float64Array(3);
          const { order } = rig.joints[j];
          quaternionToEuler(angles, 0, order, samples.rotations.values, 4 * (s * n + j));
          unwindEuler(angles, 0, order, before, 3 * j);
          before.set(angles, 3 * j);
          return channels[k].map((channel) => {
            const axis = 'XYZ'.indexOf(channel[0]);
            return written(
              channel.endsWith('position')
                ? samples.translations.values[3 * (s * n + j) + axis]
                : angles[axis] * DEGREES,
            );
          });
        });
        expect(line).toBe(cells.join(' '));
        rows++;
      }
    }
    expect(rows).toBe(12000);
  });
});
