import type { Line } from './measure.js';

/** How far the same work is apart in two processes, beside what differs from round to round: one compiles it otherwise than the other. */
const BETWEEN_PROCESSES = 0.3;
/** Of values whose rounds were not measured one by one. */
const UNKNOWN_NOISE = 0.1;
/** Units of which more is better. */
const SPEEDS = ['times real time'];

/** How a line compares with the same one of an earlier run. */
export interface Compared {
  readonly name: string;
  /** How many times as long it takes now, on a machine of one speed. */
  readonly times: number;
  /** Up to how many times that may come of noise. */
  readonly within: number;
  readonly slower: boolean;
}

/**
 * Compares a run with an earlier one. What has a reference is compared by how many times faster than that it is; all else by
 * the plain loop that was measured by turns with it, so that a machine that is busy or another one counts for little. Slower is what takes longer by more than the
 * noise of both runs, twice, and by what processes differ.
 */
export function compareRuns(
  now: readonly Line[],
  before: readonly Line[],
): { readonly compared: Compared[]; readonly fresh: string[]; readonly gone: string[] } {
  const earlier = new Map(before.map((line) => [line.name, line]));
  const noiseOf = ({ noise = UNKNOWN_NOISE }: Line) => noise;
  const compared = now.flatMap((line): Compared[] => {
    const then = earlier.get(line.name);
    if (!then) return [];
    const both = line.ratio !== null && then.ratio !== null;
    const speed = SPEEDS.includes(line.unit);
    const plain = speed ? then.value / line.value : line.value / then.value;
    // A ratio of two of our own is of no machine.
    const machine = line.yard && then.yard && line.unit !== 'times' ? line.yard / then.yard : 1;
    const times = both ? then.ratio! / line.ratio! : plain / machine;
    const within = 1 + BETWEEN_PROCESSES + 2 * (noiseOf(line) + noiseOf(then));
    return [{ name: line.name, times, within, slower: times > within }];
  });
  return {
    compared,
    fresh: now.filter(({ name }) => !earlier.has(name)).map(({ name }) => name),
    gone: before.filter(({ name }) => now.every((line) => line.name !== name)).map(({ name }) => name),
  };
}

/** Prints how a run compares, the slowest first; true where nothing is slower. */
export function printCompared({ compared, fresh, gone }: ReturnType<typeof compareRuns>): boolean {
  const rows = [...compared].sort((a, b) => b.times / b.within - a.times / a.within);
  const widest = Math.max(0, ...rows.map(({ name }) => name.length));
  console.log('\nagainst the earlier run: times as long, and up to how many may be noise');
  for (const { name, times, within, slower } of rows)
    console.log(
      `${name.padEnd(widest)}   ${times.toFixed(2)}   ${within.toFixed(2)}${slower ? '   SLOWER' : ''}`,
    );
  for (const name of fresh) console.log(`new: ${name}`);
  for (const name of gone) console.log(`not measured any more: ${name}`);
  return !rows.some(({ slower }) => slower);
}
