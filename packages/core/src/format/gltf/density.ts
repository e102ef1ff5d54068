import { DEGREES } from '../../math/euler.js';
import { angleBetween, slerp } from '../../math/quaternion.js';
import { type Sampler, sampleAt } from './sampler.js';
import { type EvenTimes, evenTimes, SLOPPY, slack } from './timing.js';

/** When an animation is sampled. */
export interface Sampling extends EvenTimes {
  /** A key this near to a sample is that sample, in seconds. */
  readonly snap: number;
  /** What is doubtful about it. */
  readonly warnings: readonly string[];
}

/** Samples a second where keys are no samples, doubled until they follow the animation. */
const LEAST_RATE = 60;
const MOST_RATE = 480;
/** How far samples may be from the animation between them: degrees, and parts of how far a property moves at all. */
const ANGLE = 0.02;
const PART = 2e-4;

/**
 * Finds even times at which samplers are sampled so that straight lines between the samples follow them: the times of
 * the keys where those are even and all lines are straight, otherwise as many as it takes, up to 480 a second and up
 * to `most` samples.
 */
export function samplingOf(samplers: readonly Sampler[], most: number): Sampling {
  const all = new Set<Float64Array>(samplers.map(({ times }) => times));
  const times = [...new Set([...all].flatMap((list) => [...list]))].sort((a, b) => a - b);
  const even = evenTimes(times);
  const straight = samplers.every(
    ({ interpolation, times: { length } }) => interpolation === 'LINEAR' || length === 1,
  );
  if (even && (straight || times.length === 1) && even.count <= most)
    return {
      ...even,
      // Where samples follow so fast that 32 bits tell them apart badly, the nearest key is the sample.
      snap: Math.min(
        0.49 * even.interval,
        Math.max(SLOPPY * even.interval, slack(even.interval * even.count)),
      ),
      warnings: [],
    };

  const last = times[times.length - 1];
  const cubic = samplers.filter(({ interpolation }) => interpolation === 'CUBICSPLINE');
  // Every key is a sample where that takes no more samples than sampling does anyhow.
  const base = even && even.interval >= 1 / MOST_RATE ? even.interval : 1 / LEAST_RATE;
  let parts = Math.max(1, Math.ceil(LEAST_RATE * base - 1e-6));
  const at = (n: number): EvenTimes => ({
    interval: base / n,
    count: Math.ceil((last * n) / base - 1e-3) + 1,
  });
  // Long stretches without a key are not worth a look at every sample.
  const worth = Math.min(most, Math.max(20_000, 8 * times.length));
  const checked = even ? cubic : samplers.filter(({ interpolation }) => interpolation !== 'STEP');
  while (
    (2 * parts) / base <= MOST_RATE &&
    at(2 * parts).count <= worth &&
    checked.some((sampler) => !follows(sampler, at(parts)))
  )
    parts *= 2;
  const chosen = at(parts);
  const rate = Math.round(100 / chosen.interval) / 100;
  return {
    ...chosen,
    snap: 0,
    warnings: even ? [] : [`keys stand at uneven times; they are read ${rate} times a second`],
  };
}

const value = new Float64Array(4);
const before = new Float64Array(4);
const after = new Float64Array(4);
const line = new Float64Array(4);

/** Whether lines between samples follow a sampler in the middle between them, and at its keys. */
function follows(sampler: Sampler, { interval, count }: EvenTimes): boolean {
  const { size, times } = sampler;
  const extent = size === 4 ? 0 : PART * extentOf(sampler);
  const cursors = [{ key: 0 }, { key: 0 }, { key: 0 }];
  let key = 0;
  for (let s = 0; s + 1 < count; s++) {
    const start = s * interval;
    const end = start + interval;
    sampleAt(sampler, start, 0, cursors[0], before, 0);
    sampleAt(sampler, end, 0, cursors[1], after, 0);
    while (key < times.length && times[key] <= start) key++;
    const inside =
      key < times.length && times[key] < end ? [times[key], start + interval / 2] : [start + interval / 2];
    for (const time of inside.sort((a, b) => a - b)) {
      const u = (time - start) / interval;
      sampleAt(sampler, time, 0, cursors[2], value, 0);
      if (size === 4) {
        slerp(line, 0, before, 0, after, 0, u);
        if (angleBetween(line, 0, value, 0) * DEGREES > ANGLE) return false;
      } else
        for (let c = 0; c < 3; c++)
          if (Math.abs((1 - u) * before[c] + u * after[c] - value[c]) > extent) return false;
    }
  }
  return true;
}

/** How far the values of keys lie apart, the most of all axes. */
function extentOf({ size, values, interpolation, times }: Sampler): number {
  const step = interpolation === 'CUBICSPLINE' ? 3 * size : size;
  const first = interpolation === 'CUBICSPLINE' ? size : 0;
  let most = 0;
  for (let c = 0; c < size; c++) {
    let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let k = 0; k < times.length; k++) {
      low = Math.min(low, values[first + k * step + c]);
      high = Math.max(high, values[first + k * step + c]);
    }
    most = Math.max(most, high - low);
  }
  return most;
}
