/** Whole rates of which film and broadcasting also use the one that is slower by a thousandth and one (SMPTE ST 12-1). */
const SLOWED = [24, 30, 48, 60, 120];
const SLOWER = 1000 / 1001;

/**
 * A rate, in frames a second, as it is meant: 23.976, 29.97 and the like as exact fractions of 1001. Others stay as they are.
 */
export function exactRate(rate: number): number {
  const slowed = SLOWED.map((whole) => whole * SLOWER).find(
    (one) => Math.abs(one - rate) < 0.005 * (one / 24),
  );
  return slowed !== undefined && Math.abs(rate - Math.round(rate)) > 1e-9 ? slowed : rate;
}

/** What somebody typed as a rate: a number, or a fraction such as 24000/1001. Undefined where it is none. */
export function typedRate(text: string): number | undefined {
  const found = /^\s*(\d+(?:[.,]\d+)?)\s*(?:\/\s*(\d+(?:[.,]\d+)?))?\s*$/.exec(text);
  if (!found) return undefined;
  const [over, under] = [found[1], found[2] ?? '1'].map((number) => Number(number.replace(',', '.')));
  return under > 0 ? exactRate(over / under) : undefined;
}

/** A rate as people write it: 30, 23.976. */
export const rateText = (rate: number): string => String(Number(rate.toFixed(3)));
