/**
 * A number from 0 up to 1 for a seed and a whole number, the same on every machine: the 32-bit finisher of MurmurHash3
 * (Appleby, public domain), whose constants are from memory.
 */
export function randomAt(seed: number, index: number): number {
  let h = (Math.imul(seed, 0x9e3779b1) ^ Math.imul(index, 0x85ebca6b)) | 0;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 2 ** 32;
}

/** A seed for one of many things that a seed is given for, by a text that names it. */
export function seedFor(seed: number, name: string): number {
  let h = seed | 0;
  for (let i = 0; i < name.length; i++) h = (Math.imul(h, 31) + name.charCodeAt(i)) | 0;
  return h;
}

/** The curve by which one lattice point gives way to the next (Perlin, Improving Noise, SIGGRAPH 2002). */
const fade = (t: number): number => t * t * t * (t * (6 * t - 15) + 10);

/**
 * Gradient noise along a line (Perlin 2002): 0 at every whole `x`, smooth, between -1 and 1. With a `period`, a whole
 * number, it comes round after so many.
 */
export function noiseAt(seed: number, x: number, period = 0): number {
  const cell = Math.floor(x);
  const t = x - cell;
  const around = (i: number) => (period > 0 ? ((i % period) + period) % period : i);
  // Slopes between -2 and 2: two that face each other meet at 1.
  const slope = (i: number) => 4 * randomAt(seed, around(i)) - 2;
  const a = slope(cell) * t;
  const b = slope(cell + 1) * (t - 1);
  return a + (b - a) * fade(t);
}

/** What noise is asked for. */
export interface Noise {
  readonly seed: number;
  /** How far it goes to either side, in the unit of what it moves. */
  readonly amplitude: number;
  /** How often it goes there and back, Hz. */
  readonly frequency: number;
  /** Seconds after which it comes round; 0 for never. */
  readonly period?: number;
}

/** How much slower the second part of noise is. */
const SLOWER = 0.61;

/**
 * Noise at `count` samples that lie `interval` seconds apart: its mean is 0 and its largest sample is `amplitude` away
 * from it. The same seed gives the same numbers. With a period the frequency becomes one that goes round in whole waves.
 */
export function noiseSamples(
  { seed, amplitude, frequency, period = 0 }: Noise,
  count: number,
  interval: number,
): Float64Array {
  // Noise is 0 at whole numbers and changes its sign between them about as often as not: two cells are a wave. Two of it,
  // with cells of different lengths that begin anywhere, have no place at which all noise is 0.
  const out = new Float64Array(count);
  for (const [part, slower] of [1, SLOWER].entries()) {
    const wanted = 2 * frequency * slower;
    const cells = period > 0 ? Math.max(2, Math.round(wanted * period)) : 0;
    const rate = period > 0 ? cells / period : wanted;
    const own = seedFor(seed, `part ${part}`);
    const begin = 64 * randomAt(own, -1);
    for (let k = 0; k < count; k++) out[k] += noiseAt(own, begin + k * interval * rate, cells);
  }
  const used = period > 0 ? Math.min(count, Math.round(period / interval)) : count;
  let mean = 0;
  for (let k = 0; k < used; k++) mean += out[k] / used;
  let most = 0;
  for (let k = 0; k < count; k++) {
    out[k] -= mean;
    most = Math.max(most, Math.abs(out[k]));
  }
  if (most > 0) for (let k = 0; k < count; k++) out[k] *= amplitude / most;
  return out;
}
