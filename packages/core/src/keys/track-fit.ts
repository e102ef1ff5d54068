import { eulerToQuaternion } from '../math/euler.js';
import { measureAngle, normalize } from '../math/quaternion.js';
import type { Rig } from '../rig/rig.js';
import { CORNER, fitLines, fitSpline, PINNED, type Spline, writeLine, writeSpline } from './spline.js';
import type { KeyTrack } from './tracks.js';

/** A sample at which keys are wanted: of all joints or of some, which keep their pose there and may turn sharply. */
export interface WantedKey {
  readonly sample: number;
  readonly joints?: ReadonlySet<number>;
  readonly sharp?: boolean;
}

/** Samples that are looked at before it is asked whether any is missed. */
const SEGMENT = 16;

/** One track on its way to few keys. */
export interface Fit {
  readonly track: KeyTrack;
  readonly marks: Uint8Array;
  /** Whether there is a knot at each sample. */
  readonly knots: Uint8Array;
  /** Whether knots are joined straight. */
  readonly straight: boolean;
  spline: Spline;
  readonly fit: Float64Array;
  /** How far the fit is from each sample: radians of a rotation, a length, a factor, or a plain number. */
  readonly off: Float64Array;
  /** Marks samples at which it is missed, while knots are added. */
  readonly missed: Uint8Array;
}

/** A track without knots but those that are wanted. */
export function newFit(track: KeyTrack, count: number, wanted: readonly WantedKey[], straight: boolean): Fit {
  const marks = new Uint8Array(count);
  const knots = new Uint8Array(count);
  knots[0] = 1;
  marks[0] = PINNED;
  marks[count - 1] |= PINNED;
  if (!isStill(track.values, track.size)) {
    knots[count - 1] = 1;
    for (const { sample, joints, sharp } of wanted) {
      if (sample < 0 || sample >= count || (joints && !joints.has(track.member))) continue;
      knots[sample] = 1;
      marks[sample] |= PINNED | (sharp ? CORNER : 0);
    }
  }
  return {
    track,
    marks,
    knots,
    straight,
    spline: splineOf(track, Int32Array.of(0), marks, straight),
    fit: new Float64Array(track.values.length),
    off: new Float64Array(count),
    missed: new Uint8Array(count),
  };
}

const splineOf = (
  { values, size }: KeyTrack,
  knots: Int32Array,
  marks: Uint8Array,
  straight: boolean,
): Spline => (straight ? fitLines : fitSpline)(values, size, knots, marks);

function isStill(values: Float64Array, size: number): boolean {
  for (let i = size; i < values.length; i++) if (Math.abs(values[i] - values[i % size]) > 1e-9) return false;
  return true;
}

/** Gives a track knots as far apart as one after the other can stand, for it to be off by no more than `most`. */
export function spreadKnots(rig: Rig, fit: Fit, most: number): void {
  const { knots } = fit;
  if (knots[knots.length - 1]) {
    const ends: number[] = [];
    for (let s = 1; s < knots.length; s++) if (knots[s]) ends.push(s);
    let at = 0;
    for (const end of ends)
      while (at < end) {
        at = farthest(rig, fit, at, end, most);
        knots[at] = 1;
      }
  }
  refit(rig, fit);
  while (markOver(fit, most) && splitWhereMissed(fit)) refit(rig, fit);
  fit.missed.fill(0);
}

/** Marks the samples at which a fit is off by more than something. Says whether there are any. */
function markOver({ off, missed }: Fit, most: number): boolean {
  let any = false;
  for (let s = 0; s < off.length; s++) {
    missed[s] = off[s] > most ? 1 : 0;
    any ||= missed[s] === 1;
  }
  return any;
}

/** The farthest sample, up to `end`, to which one segment from a sample is nowhere off by more than `most`. */
function farthest(rig: Rig, own: Fit, from: number, end: number, most: number): number {
  const { straight } = own;
  // A cubic comes through four samples, a line through two.
  let low = Math.min(end, from + (straight ? 1 : 3));
  let step = 4;
  while (low < end && serves(rig, own, from, Math.min(end, from + step), most)) {
    low = Math.min(end, from + step);
    step *= 2;
  }
  let high = Math.min(end, from + step);
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (serves(rig, own, from, middle, most)) low = middle;
    else high = middle;
  }
  return low;
}

/** Whether one segment from a sample to another is nowhere off by more than `most`. */
function serves(rig: Rig, own: Fit, from: number, to: number, most: number): boolean {
  const { track, fit, off } = own;
  bridge(own, from, to, track.values, from, to, fit);
  for (let s = from + 1; s < to; s += SEGMENT) {
    const last = Math.min(to - 1, s + SEGMENT - 1);
    measureOff(rig, track, fit, s, last, off);
    for (let i = s; i <= last; i++) if (off[i] > most) return false;
  }
  return true;
}

/** Fits the spline of a track to its knots, and finds how far it is off. */
export function refit(rig: Rig, fit: Fit): void {
  const { track, knots, marks, straight } = fit;
  let count = 0;
  for (let s = 0; s < knots.length; s++) if (knots[s]) count++;
  const at = new Int32Array(count);
  for (let s = 0, k = 0; s < knots.length; s++) if (knots[s]) at[k++] = s;
  fit.spline = splineOf(track, at, marks, straight);
  writeSpline(fit.spline, fit.fit);
  measureOff(rig, track, fit.fit, 0, knots.length - 1, fit.off);
}

const turn = new Float64Array(8);

/** Writes how far values of a track are from its samples, from one sample to another. */
export function measureOff(
  rig: Rig,
  { member, kind, size, values }: KeyTrack,
  fit: Float64Array,
  from: number,
  to: number,
  out: Float64Array,
): void {
  if (kind === 'rotations') {
    const { order } = rig.joints[member];
    for (let s = from; s <= to; s++) {
      if (size === 3) {
        eulerToQuaternion(turn, 0, order, fit, 3 * s);
        eulerToQuaternion(turn, 4, order, values, 3 * s);
        measureAngle(turn, 0, turn, 4, out, s);
      } else {
        for (let c = 0; c < 4; c++) turn[c] = fit[4 * s + c];
        normalize(turn, 0);
        measureAngle(turn, 0, values, 4 * s, out, s);
      }
    }
    return;
  }
  for (let s = from; s <= to; s++) {
    let squared = 0;
    for (let c = 0; c < size; c++) squared += (fit[s * size + c] - values[s * size + c]) ** 2;
    out[s] = Math.sqrt(squared);
  }
}

/**
 * Adds a knot to each segment of a track that is missed somewhere, where it is off by the most, but not close to its ends.
 * A knot that is missed itself keeps its value from now on, where no segment beside it can be split. Says whether anything
 * was changed.
 */
export function splitWhereMissed({ knots, marks, off, spline, missed }: Fit): boolean {
  const { knots: at } = spline;
  const last = knots.length - 1;
  if (at.length === 1) {
    if (last === 0 || !missed.includes(1)) return false;
    knots[last] = 1;
    return true;
  }
  let added = false;
  const done = new Uint8Array(at.length);
  for (let k = 0; k < at.length; k++) {
    const a = at[k];
    const b = k + 1 < at.length ? at[k + 1] : last;
    if (missed[a] === 1) {
      const before = k > 0 && (done[k - 1] === 1 || split(knots, off, at[k - 1], a));
      if (before) done[k - 1] = 1;
      const after = k + 1 < at.length && split(knots, off, a, b);
      if (after) done[k] = 1;
      if (before || after) added = true;
      else if (!(marks[a] & PINNED)) {
        marks[a] |= PINNED;
        added = true;
      }
    }
    if (done[k] === 1) continue;
    for (let s = a + 1; s < b; s++) {
      if (missed[s] === 0) continue;
      if (split(knots, off, a, b)) {
        done[k] = 1;
        added = true;
      }
      break;
    }
  }
  return added;
}

/** Puts a knot where a segment is off by the most, but not close to its ends. Says whether there was room for one. */
function split(knots: Uint8Array, off: Float64Array, a: number, b: number): boolean {
  if (b - a < 2) return false;
  const edge = Math.floor((b - a) / 5);
  let best = -1;
  for (let s = a + 1 + edge; s < b - edge; s++) if (best < 0 || off[s] > off[best]) best = s;
  knots[best < 0 ? (a + b) >> 1 : best] = 1;
  return true;
}

/**
 * Writes the values of a segment from sample `a` to sample `b`, without its ends: from the value `va` to the value `vb` of
 * `values`, straight or with the slopes that fit best.
 */
export function bridge(
  { track: { size, values: samples }, straight }: Fit,
  a: number,
  b: number,
  values: Float64Array,
  va: number,
  vb: number,
  out: Float64Array,
): void {
  if (straight) {
    writeLine(size, values, va, vb, out, a, b);
    return;
  }
  const h = b - a;
  let [aa, ab, bb] = [1e-9, 0, 1e-9];
  slopes.fill(0);
  for (let s = 1; s < h; s++) {
    const u = s / h;
    const m0 = h * u * (1 - u) * (1 - u);
    const m1 = -h * u * u * (1 - u);
    const share = u * u * (3 - 2 * u);
    aa += m0 * m0;
    ab += m0 * m1;
    bb += m1 * m1;
    for (let c = 0; c < size; c++) {
      const v0 = values[va * size + c];
      const rest = samples[(a + s) * size + c] - v0 - (values[vb * size + c] - v0) * share;
      slopes[c] += m0 * rest;
      slopes[4 + c] += m1 * rest;
    }
  }
  const det = aa * bb - ab * ab;
  for (let c = 0; c < size; c++) {
    const [ra, rb] = [slopes[c], slopes[4 + c]];
    slopes[c] = (bb * ra - ab * rb) / det;
    slopes[4 + c] = (aa * rb - ab * ra) / det;
  }
  for (let s = 1; s < h; s++) {
    const u = s / h;
    const m0 = h * u * (1 - u) * (1 - u);
    const m1 = -h * u * u * (1 - u);
    const share = u * u * (3 - 2 * u);
    for (let c = 0; c < size; c++) {
      const v0 = values[va * size + c];
      out[(a + s) * size + c] =
        v0 + (values[vb * size + c] - v0) * share + m0 * slopes[c] + m1 * slopes[4 + c];
    }
  }
}

const slopes = new Float64Array(8);
