/** One line of the table: a figure and, where there is one, the same work done by an outside library. */
export interface Line {
  readonly name: string;
  readonly unit: string;
  readonly value: number;
  readonly reference: number | null;
  /** How many times faster than the reference, the median of interleaved rounds. */
  readonly ratio: number | null;
  /** Seconds that a plain loop, which is nothing of ours, took meanwhile: how fast the machine was. */
  readonly yard?: number;
  /** How far rounds are from one another, by the loop or the reference of each: the middle half of them, as a part of their median. */
  readonly noise?: number;
}

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1];

/** The range of the middle half of some values, as a part of their median. */
function noiseOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const at = (part: number) => sorted[Math.floor(part * (sorted.length - 1))];
  return (at(0.75) - at(0.25)) / at(0.5);
}

const numbers = Float64Array.from({ length: 4096 }, (_, i) => 1 + i / 4096);
/** What the plain loop comes to, so that nothing leaves it out. */
let kept = 0;

/** Seconds of a plain loop over numbers. */
export function yardstick(): number {
  const started = performance.now();
  let sum = kept === Number.POSITIVE_INFINITY ? 1 : 0;
  for (let round = 0; round < 200; round++)
    for (let i = 0; i < numbers.length; i++) sum += Math.sqrt(numbers[i] * (sum + 1)) / numbers[i];
  kept += sum;
  return (performance.now() - started) / 1000;
}

function secondsOf(work: () => void, least: number): number {
  const started = performance.now();
  let runs = 0;
  do {
    work();
    runs++;
  } while (performance.now() - started < least);
  return (performance.now() - started) / 1000 / runs;
}

/**
 * Measures work in rounds, by turns with the reference, so that both see the same machine. `per` is how many
 * of the unit's things one run does; `factor` turns seconds into the unit.
 */
export function measure(
  name: string,
  unit: string,
  factor: number,
  per: number,
  work: () => void,
  reference?: () => void,
): Line {
  const own: number[] = [];
  const other: number[] = [];
  const yards: number[] = [];
  secondsOf(work, 200);
  if (reference) secondsOf(reference, 200);
  for (let round = 0; round < 9; round++) {
    own.push(secondsOf(work, 120));
    yards.push(yardstick());
    if (reference) other.push(secondsOf(reference, 120));
  }
  const ratios = other.map((seconds, round) => seconds / own[round]);
  return {
    name,
    unit,
    value: (median(own) * factor) / per,
    reference: reference ? (median(other) * factor) / per : null,
    ratio: reference ? median(ratios) : null,
    yard: median(yards),
    noise: noiseOf(reference ? ratios : own.map((seconds, round) => seconds / yards[round])),
  };
}

/** A figure that was measured once, by itself. */
export const lineOf = (name: string, unit: string, value: number): Line => ({
  name,
  unit,
  value,
  reference: null,
  ratio: null,
  yard: yardstick(),
});

/** A thing to measure beside others of its kind. */
export interface Case {
  readonly name: string;
  readonly unit: string;
  readonly factor: number;
  readonly per: number;
  readonly work: () => void;
}

/** Measures several things in rounds, by turns, so that all see the same machine. */
export function measureTogether(cases: readonly Case[]): Line[] {
  for (const { work } of cases) secondsOf(work, 150);
  const seconds: number[][] = cases.map(() => []);
  const yards: number[] = [];
  for (let round = 0; round < 9; round++) {
    for (const [i, { work }] of cases.entries()) seconds[i].push(secondsOf(work, 40));
    yards.push(yardstick());
  }
  return cases.map(({ name, unit, factor, per }, i) => ({
    name,
    unit,
    value: (median(seconds[i]) * factor) / per,
    reference: null,
    ratio: null,
    yard: median(yards),
    noise: noiseOf(seconds[i].map((own, round) => own / yards[round])),
  }));
}

export function printTable(lines: readonly Line[]): void {
  const number = (value: number | null) => (value === null ? '' : value.toPrecision(3));
  const rows = lines.map(({ name, unit, value, reference, ratio }) => [
    name,
    `${number(value)} ${unit}`,
    reference === null ? '' : `${number(reference)} ${unit}`,
    ratio === null ? '' : `${ratio.toFixed(1)} times`,
  ]);
  const all = [['', 'Evlay', 'reference', 'faster'], ...rows];
  const widths = [0, 1, 2, 3].map((k) => Math.max(...all.map((row) => row[k].length)));
  for (const row of all)
    console.log(
      row.map((cell, k) => (k === 0 ? cell.padEnd(widths[k]) : cell.padStart(widths[k]))).join('   '),
    );
}
