/** One line of the table: a figure and, where there is one, the same work done by an outside library. */
export interface Line {
  readonly name: string;
  readonly unit: string;
  readonly value: number;
  readonly reference: number | null;
  /** How many times faster than the reference, the median of interleaved rounds. */
  readonly ratio: number | null;
}

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1];

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
  secondsOf(work, 200);
  if (reference) secondsOf(reference, 200);
  for (let round = 0; round < 9; round++) {
    own.push(secondsOf(work, 120));
    if (reference) other.push(secondsOf(reference, 120));
  }
  const ratios = other.map((seconds, round) => seconds / own[round]);
  return {
    name,
    unit,
    value: (median(own) * factor) / per,
    reference: reference ? (median(other) * factor) / per : null,
    ratio: reference ? median(ratios) : null,
  };
}

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
  for (let round = 0; round < 9; round++)
    for (const [i, { work }] of cases.entries()) seconds[i].push(secondsOf(work, 40));
  return cases.map(({ name, unit, factor, per }, i) => ({
    name,
    unit,
    value: (median(seconds[i]) * factor) / per,
    reference: null,
    ratio: null,
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
