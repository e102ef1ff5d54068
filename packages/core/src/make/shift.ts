import { followsOf, sizeRatio } from '../match/fit.js';
import type { Contact } from '../take/contacts.js';
import type { Mapping } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import { watchJoints } from '../take/watch.js';
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
  const rough = new Float64Array(3 * motion.count);
  for (let s = 0; s < motion.count; s++) {
    const counts = weights.map((weight) => Math.max(LEAST, weight[s]));
    const whole = counts.reduce((sum, count) => sum + count, 0);
    for (const [f, count] of counts.entries())
      for (let axis = 0; axis < 3; axis++) rough[3 * s + axis] += (count / whole) * wanted[f][3 * s + axis];
  }
  const hips = smoothed(rough, SMOOTH / motion.interval);
  const left = wanted.map((values, f) =>
    values.map((value, i) => weights[f][Math.floor(i / 3)] * (value - hips[i])),
  );
  return {
    hips,
    left,
    rise: risesOf(motion, feet, ratio),
    weights,
    captured: capturedFeet(motion, feet, ratio),
  };
}

function capturedFeet(motion: Motion, feet: readonly Foot[], ratio: number): Float64Array[] {
  const watch = watchJoints(
    motion,
    feet.map(({ heel }) => heel),
  );
  const out = feet.map(() => new Float64Array(3 * motion.count));
  for (let s = 0; s < motion.count; s++) {
    const matrices = watch(s);
    for (const [f, { heel }] of feet.entries())
      for (let axis = 0; axis < 3; axis++) out[f][3 * s + axis] = ratio * matrices[16 * heel + 12 + axis];
  }
  return out;
}

/** Metres, scaled, by which the tip of a foot of a capture may be off its floor while it stands. */
const UNSURE = 0.01;

/** How far the tips of the feet of a capture are above where they usually stand, scaled; never below it. */
function risesOf(motion: Motion, feet: readonly Foot[], ratio: number): Float64Array[] {
  const watch = watchJoints(
    motion,
    feet.map(({ followed }) => followed),
  );
  const heights = feet.map(() => new Float64Array(motion.count));
  for (let s = 0; s < motion.count; s++) {
    const matrices = watch(s);
    for (const [f, { followed }] of feet.entries()) heights[f][s] = ratio * matrices[16 * followed + 13];
  }
  const standing = feet.map((): number[] => []);
  for (const [s, down] of flatSamples(feet, motion))
    for (const foot of down) standing[feet.indexOf(foot)].push(heights[feet.indexOf(foot)][s]);
  return heights.map((path, f) => {
    const usual = standing[f].sort((a, b) => a - b)[standing[f].length >> 1] ?? Math.min(...path);
    return path.map((height) => Math.max(0, height - usual - UNSURE));
  });
}

/** For each foot the shift that would put it right at every sample; between two stances it goes from one to the other. */
function wantedShifts(
  motion: Motion,
  fitted: Motion,
  feet: readonly Foot[],
  heights: readonly number[],
  ratio: number,
): Float64Array[] {
  const wanted = feet.map(() => new Float64Array(3 * motion.count));
  const theirs = watchJoints(
    motion,
    feet.map(({ followed }) => followed),
  );
  const own = watchJoints(
    fitted,
    feet.flatMap(({ tip, soles }) => [tip, ...soles]),
  );
  for (let s = 0; s < motion.count; s++) {
    const [from, to] = [theirs(s), own(s)];
    for (const [f, { tip, followed, soles }] of feet.entries()) {
      for (const axis of [0, 2])
        wanted[f][3 * s + axis] = ratio * from[16 * followed + 12 + axis] - to[16 * tip + 12 + axis];
      wanted[f][3 * s + 1] = -Math.min(...soles.map((j) => to[16 * j + 13] - heights[j]));
    }
  }
  for (const [f, { spans }] of feet.entries()) {
    // Where a foot stands beside the capture's, because hips are wider, it stays.
    for (const axis of [0, 2]) level(wanted[f], axis, spans);
    bridge(wanted[f], spans, motion.count);
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
