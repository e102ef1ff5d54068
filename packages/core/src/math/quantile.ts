/** The number that a share of some numbers are at or below, of those that there are; 0 of none. */
export function quantile(values: ArrayLike<number>, share: number): number {
  // An array of doubles is sorted without calls of a function that compares.
  return Float64Array.from(values).sort()[Math.floor(share * (values.length - 1))] ?? 0;
}
