import { followsOf, sizeRatio } from '../match/fit.js';
import type { Contact } from '../take/contacts.js';
import type { Mapping } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import { pathsOf, spotOf } from '../take/watch.js';
import { smoothed } from './smooth.js';
import { type Foot, flatSamples, weightsOf } from './stance.js';

/** How much a foot counts for the hips that does not stand, where none does. */
const LEAST = 0.01;

/** What puts a motion on the floor, sample by sample. */
export interface Shift {
  /** How the hips have to be moved for all feet, 3 numbers a sample. */
  readonly hips: Float64Array;
  /** For each foot how far along the floor that leaves it off, 3 numbers a sample, as far as it stands. */
  readonly left: readonly Float64Array[];
  /** For each foot how far its tip is to be above where it rests, 1 number a sample. */
  readonly rise: readonly Float64Array[];
  /** For each foot how much it stands, from 0 to 1. */
  readonly weights: readonly Float64Array[];
  /** For each foot where that of the capture is, scaled, 3 numbers a sample. */
  readonly captured: readonly Float64Array[];
}

/** Seconds over which what is corrected is evened out, as a standard deviation: it is as smooth as the capture then. */
export const SMOOTH = 0.06;

/** Finds how hips and feet have to be moved. `heights` are those of the joints at rest. */
export function shiftToFloor(
  motion: Motion,
  fitted: Motion,
  mapping: Mapping,
  feet: readonly Foot[],
  heights: readonly number[],
): Shift {
  const ratio = sizeRatio(motion.rig, fitted.rig, followsOf(motion.rig, fitted.rig, mapping));
  const wanted = wantedShifts(motion, fitted, feet, heights, ratio);
  const weights = feet.map(({ spans }) => weightsOf(spans, motion));
  const hips = smoothed(meanShift(wanted, weights), SMOOTH / motion.interval);
  return {
    hips,
    left: wanted.map((values, f) => weightedRest(values, hips, weights[f])),
    rise: risesOf(motion, feet, ratio),
    weights,
    captured: pathsOf(
      motion,
      feet.map(({ heel }) => spotOf(heel)),
    ).map((path) => scaled(path, ratio)),
  };
}

/** The mean of what the feet ask for, 3 numbers a sample, each as far as it counts. */
function meanShift(wanted: readonly Float64Array[], weights: readonly Float64Array[]): Float64Array {
  const mean = new Float64Array(wanted[0].length);
  const sums = new Float64Array(weights[0].length);
  for (const weight of weights) addCounts(sums, weight);
  for (const [f, weight] of weights.entries()) addShares(mean, wanted[f], weight, sums);
  return mean;
}

function addCounts(sums: Float64Array, weight: Float64Array): void {
  for (let s = 0; s < sums.length; s++) sums[s] += Math.max(LEAST, weight[s]);
}

function addShares(mean: Float64Array, wanted: Float64Array, weight: Float64Array, sums: Float64Array): void {
  for (let i = 0; i < mean.length; i++) {
    const s = Math.floor(i / 3);
    mean[i] += (Math.max(LEAST, weight[s]) / sums[s]) * wanted[i];
  }
}

/** What is left of a shift once the hips were moved, as far as it counts. */
function weightedRest(values: Float64Array, hips: Float64Array, weight: Float64Array): Float64Array {
  const left = new Float64Array(values.length);
  for (let i = 0; i < left.length; i++) left[i] = weight[Math.floor(i / 3)] * (values[i] - hips[i]);
  return left;
}

function scaled(path: Float64Array, ratio: number): Float64Array {
  for (let i = 0; i < path.length; i++) path[i] *= ratio;
  return path;
}

/** Metres, scaled, by which the tip of a foot of a capture may be off its floor while it stands. */
const UNSURE = 0.01;

/** How far the tips of the feet of a capture are above where they usually stand, scaled; never below it. */
function risesOf(motion: Motion, feet: readonly Foot[], ratio: number): Float64Array[] {
  const paths = pathsOf(
    motion,
    feet.map(({ followed }) => spotOf(followed)),
  );
  return feet.map((foot, f) => riseOf(scaled(paths[f], ratio), flatSamples(foot, motion)));
}

function riseOf(path: Float64Array, flat: Uint8Array): Float64Array {
  const rise = new Float64Array(flat.length);
  const standing: number[] = [];
  let lowest = Number.POSITIVE_INFINITY;
  for (let s = 0; s < flat.length; s++) {
    rise[s] = path[3 * s + 1];
    if (flat[s] === 1) standing.push(rise[s]);
    lowest = Math.min(lowest, rise[s]);
  }
  const usual = Float64Array.from(standing).sort()[standing.length >> 1] ?? lowest;
  for (let s = 0; s < rise.length; s++) rise[s] = Math.max(0, rise[s] - usual - UNSURE);
  return rise;
}

/** For each foot the shift that would put it right at every sample; between two stances it goes from one to the other. */
function wantedShifts(
  motion: Motion,
  fitted: Motion,
  feet: readonly Foot[],
  heights: readonly number[],
  ratio: number,
): Float64Array[] {
  const theirs = pathsOf(
    motion,
    feet.map(({ followed }) => spotOf(followed)),
  );
  return feet.map(({ tip, soles, spans }, f) => {
    const [own, ...low] = pathsOf(fitted, [tip, ...soles].map(spotOf));
    const wanted = wantedShift(
      theirs[f],
      ratio,
      own,
      low,
      soles.map((j) => heights[j]),
    );
    // Where a foot stands beside the capture's, because hips are wider, it stays.
    for (const axis of [0, 2]) level(wanted, axis, spans);
    bridge(wanted, spans, motion.count);
    return wanted;
  });
}

/** By how much a tip is off another's path along the floor, and the lowest of soles off how high it lies at rest. */
function wantedShift(
  theirs: Float64Array,
  ratio: number,
  own: Float64Array,
  soles: readonly Float64Array[],
  heights: readonly number[],
): Float64Array {
  const wanted = new Float64Array(own.length);
  for (let o = 0; o < wanted.length; o += 3) {
    let lowest = Number.POSITIVE_INFINITY;
    for (let k = 0; k < soles.length; k++) lowest = Math.min(lowest, soles[k][o + 1] - heights[k]);
    wanted[o] = ratio * theirs[o] - own[o];
    wanted[o + 1] = -lowest;
    wanted[o + 2] = ratio * theirs[o + 2] - own[o + 2];
  }
  return wanted;
}

/** Takes off the mean of an axis in each stance. */
function level(values: Float64Array, axis: number, spans: readonly Contact[]): void {
  for (const { from, to } of spans) {
    let sum = 0;
    for (let s = from; s <= to; s++) sum += values[3 * s + axis];
    for (let s = from; s <= to; s++) values[3 * s + axis] -= sum / (to - from + 1);
  }
}

/** Replaces what lies between stances by a straight line, and before and behind them by the nearest value. */
function bridge(values: Float64Array, spans: readonly Contact[], count: number): void {
  const at = (s: number) => [0, 1, 2].map((axis) => values[3 * s + axis]);
  const first = at(spans[0].from);
  const last = at(spans[spans.length - 1].to);
  for (let s = 0; s < spans[0].from; s++) values.set(first, 3 * s);
  for (let s = spans[spans.length - 1].to + 1; s < count; s++) values.set(last, 3 * s);
  for (let k = 1; k < spans.length; k++) {
    const [a, b] = [spans[k - 1].to, spans[k].from];
    const [start, end] = [at(a), at(b)];
    for (let s = a + 1; s < b; s++) {
      const u = (s - a) / (b - a);
      for (let axis = 0; axis < 3; axis++) values[3 * s + axis] = (1 - u) * start[axis] + u * end[axis];
    }
  }
}
