/** The number that a share of some numbers are at or below, of those that there are; 0 of none. Puts them in order. */
export function quantile(values: number[], share: number): number {
  values.sort((a, b) => a - b);
  return values[Math.floor(share * (values.length - 1))] ?? 0;
}
