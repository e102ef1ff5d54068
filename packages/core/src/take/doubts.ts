/** Samples of a take that were not recorded as they should: lost on the way and filled in, or of which a joint was seen badly. Both ends included. */
export interface Doubt {
  readonly what: 'lost' | 'weak';
  /** The joint that was seen badly; all where missing. */
  readonly joint?: string;
  readonly from: number;
  readonly to: number;
}

/** Runs of whole numbers that follow one another, of a rising list. */
export function runsIn(numbers: readonly number[]): [number, number][] {
  const runs: [number, number][] = [];
  for (const one of numbers) {
    const last = runs[runs.length - 1];
    if (last && one === last[1] + 1) last[1] = one;
    else runs.push([one, one]);
  }
  return runs;
}
