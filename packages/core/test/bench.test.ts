import { describe, expect, it } from 'vitest';
import { compareRuns } from '../bench/compare.js';
import type { Line } from '../bench/measure.js';

const line = (name: string, value: number, more: Partial<Line> = {}): Line => ({
  name,
  unit: 'ms',
  value,
  reference: null,
  ratio: null,
  yard: 0.01,
  noise: 0.02,
  ...more,
});

describe('two runs of the bench', () => {
  const before = [
    line('a', 4),
    line('bake', 900, { unit: 'times real time' }),
    line('mixer', 1, { ratio: 20 }),
    line('old', 1),
  ];
  const slower = (now: Line[]) =>
    compareRuns(now, before).compared.flatMap((one) => (one.slower ? [one.name] : []));

  it('are alike on a machine of half the speed', () => {
    const now = before.map((one) =>
      one.unit === 'ms'
        ? { ...one, yard: 0.02, value: 2 * one.value }
        : { ...one, yard: 0.02, value: one.value / 2 },
    );
    expect(slower(now)).toEqual([]);
  });

  it('tell what is slower by more than their noise, in each kind of line, and what is new or gone', () => {
    expect(slower([line('a', 4 * 1.1)])).toEqual([]);
    expect(slower([line('a', 4 * 1.6)])).toEqual(['a']);
    expect(slower([line('a', 4 * 1.6, { noise: 0.2 })])).toEqual([]);
    expect(slower([line('bake', 900 / 1.6, { unit: 'times real time' })])).toEqual(['bake']);
    expect(slower([line('mixer', 9, { ratio: 20 / 1.6 })])).toEqual(['mixer']);
    const { fresh, gone } = compareRuns([...before.slice(0, 3), line('b', 1)], before);
    expect([fresh, gone]).toEqual([['b'], ['old']]);
  });
});
