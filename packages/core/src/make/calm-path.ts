/** Height and speed of a point at every sample, without the noise of the path. */
export interface CalmPath {
  /** In units of the rig. */
  readonly heights: Float64Array;
  /** Units a second. */
  readonly speeds: Float64Array;
  /** The standard deviations that noise leaves in both, on each axis. */
  readonly heightNoise: number;
  readonly speedNoise: number;
}

/** Seconds on both sides of a sample that are looked at: at least, and at most. */
const NARROW = 0.04;
const WIDE = 0.13;
/** At least so many samples on both sides. */
const FEWEST = 1.5;
/** The part of a limit that the noise of a speed may have, as standard deviation on each axis. */
const SURE = 0.2;

/**
 * Measures a path, 3 numbers a sample, by a straight line through what is around each sample, with weights
 * `(1 - (t/W)²)²` that end at `W` seconds: a window of time, whatever the rate. It is as wide as the noise of the path asks
 * for, so that a speed of `limit` units a second can be told from noise; and what noise adds to the square of a speed, on
 * average, is taken off it. (Local regression: Cleveland, Robust Locally Weighted Regression, 1979.)
 */
export function calmPath(path: Float64Array, interval: number, limit: number): CalmPath {
  const count = path.length / 3;
  const noise = noiseOf(path);
  // The variance of a slope with these weights is 3.18·σ²·interval / W³ where samples are dense.
  const asked = Math.cbrt((3.18 * noise * noise * interval) / (SURE * limit) ** 2);
  const width = Math.max(NARROW, FEWEST * interval, Math.min(WIDE, asked));
  const reach = Math.min(count - 1, Math.ceil(width / interval) - 1);
  const weights = Float64Array.from(
    { length: reach + 1 },
    (_, k) => (1 - ((k * interval) / width) ** 2) ** 2,
  );
  let [sums, squares, spreads, randoms] = [0, 0, 0, 0];
  for (let k = -reach; k <= reach; k++) {
    const w = weights[Math.abs(k)];
    sums += w;
    squares += w * w;
    spreads += w * k * k;
    randoms += w * w * k * k;
  }
  const heights = new Float64Array(count);
  const speeds = new Float64Array(count);
  for (let s = 0; s < count; s++) {
    const from = Math.max(0, s - reach);
    const to = Math.min(count - 1, s + reach);
    let sum = 0;
    let middle = 0;
    for (let k = from; k <= to; k++) {
      const w = weights[Math.abs(k - s)];
      sum += w;
      middle += w * (k - s);
    }
    middle /= sum;
    let spread = 0;
    let random = 0;
    let height = 0;
    let [x, y, z] = [0, 0, 0];
    for (let k = from; k <= to; k++) {
      const w = weights[Math.abs(k - s)];
      const t = k - s - middle;
      spread += w * t * t;
      random += w * w * t * t;
      height += w * path[3 * k + 1];
      x += w * t * path[3 * k];
      y += w * t * path[3 * k + 1];
      z += w * t * path[3 * k + 2];
    }
    if (spread === 0) {
      heights[s] = path[3 * s + 1];
      continue;
    }
    heights[s] = height / sum - (middle * y) / spread;
    const squared = (x * x + y * y + z * z - 3 * noise * noise * random) / (spread * spread);
    speeds[s] = Math.sqrt(Math.max(0, squared)) / interval;
  }
  return {
    heights,
    speeds,
    heightNoise: (noise * Math.sqrt(squares)) / sums,
    speedNoise: spreads > 0 ? (noise * Math.sqrt(randoms)) / spreads / interval : 0,
  };
}

/** Of what a normal distribution has on both sides of its mean, this part lies within 0.385 standard deviations. */
const QUANTILE = 0.3;
const DEVIATIONS = 0.3853;

/**
 * The noise of a path on each axis, as standard deviation, from its third differences, whose variance is 20 times that of
 * white noise. What moves fast has large ones too, so the calmest part of the path tells.
 */
function noiseOf(path: Float64Array): number {
  let squared = 0;
  const n = path.length / 3 - 3;
  if (n < 1) return 0;
  const sizes = new Float64Array(n);
  for (let axis = 0; axis < 3; axis++) {
    for (let s = 0; s < n; s++) {
      const o = 3 * s + axis;
      sizes[s] = Math.abs(path[o + 9] - 3 * path[o + 6] + 3 * path[o + 3] - path[o]);
    }
    sizes.sort();
    squared += (sizes[Math.floor(QUANTILE * (n - 1))] / DEVIATIONS) ** 2 / 20;
  }
  return Math.sqrt(squared / 3);
}
