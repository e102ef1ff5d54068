import { eulerToQuaternion } from '../math/euler.js';
import { angleBetween, normalize } from '../math/quaternion.js';
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
  while (splitWhere(fit, (s) => fit.off[s] > most)) refit(rig, fit);
}

/** The farthest sample, up to `end`, to which one segment from a sample is nowhere off by more than `most`. */
function farthest(rig: Rig, own: Fit, from: number, end: number, most: number): number {
  const { track, fit, off, straight } = own;
  const serves = (to: number): boolean => {
    bridge(own, from, to, track.values, from, to, fit);
    for (let s = from + 1; s < to; s += SEGMENT) {
      const last = Math.min(to - 1, s + SEGMENT - 1);
      measureOff(rig, track, fit, s, last, off);
      for (let i = s; i <= last; i++) if (off[i] > most) return false;
    }
    return true;
  };
  // A cubic comes through four samples, a line through two.
  let low = Math.min(end, from + (straight ? 1 : 3));
  let step = 4;
  while (low < end && serves(Math.min(end, from + step))) {
    low = Math.min(end, from + step);
    step *= 2;
  }
  let high = Math.min(end, from + step);
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (serves(middle)) low = middle;
    else high = middle;
  }
  return low;
}

/** Fits the spline of a track to its knots, and finds how far it is off. */
export function refit(rig: Rig, fit: Fit): void {
  const { track, knots, marks, straight } = fit;
  const at: number[] = [];
  for (let s = 0; s < knots.length; s++) if (knots[s]) at.push(s);
  fit.spline = splineOf(track, Int32Array.from(at), marks, straight);
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
        out[s] = angleBetween(turn, 0, turn, 4);
      } else {
        for (let c = 0; c < 4; c++) turn[c] = fit[4 * s + c];
        normalize(turn, 0);
        out[s] = angleBetween(turn, 0, values, 4 * s);
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
 * A knot that is missed itself keeps its value from now on, where no segment beside it can be split.
 */
export function splitWhere(
  { knots, marks, off, spline }: Fit,
  isMissed: (sample: number) => boolean,
): boolean {
  let added = false;
  const { knots: at } = spline;
  const last = knots.length - 1;
  const split = (a: number, b: number): boolean => {
    if (b - a < 2) return false;
    const edge = Math.floor((b - a) / 5);
    let best = -1;
    for (let s = a + 1 + edge; s < b - edge; s++) if (best < 0 || off[s] > off[best]) best = s;
    if (best < 0) best = (a + b) >> 1;
    knots[best] = 1;
    added = true;
    return true;
  };
  if (at.length === 1) {
    for (let s = 0; s <= last; s++)
      if (isMissed(s)) {
        knots[last] = 1;
        return last > 0;
      }
    return false;
  }
  const done = new Uint8Array(at.length);
  for (let k = 0; k < at.length; k++) {
    const [a, b] = [at[k], at[k + 1] ?? last];
    if (isMissed(a)) {
      const before = k > 0 && (done[k - 1] === 1 || split(at[k - 1], a));
      if (before) done[k - 1] = 1;
      const after = k + 1 < at.length && split(a, b);
      if (after) done[k] = 1;
      if (!before && !after && !(marks[a] & PINNED)) {
        marks[a] |= PINNED;
        added = true;
      }
    }
    if (done[k]) continue;
    for (let s = a + 1; s < b; s++)
      if (isMissed(s)) {
        if (split(a, b)) done[k] = 1;
        break;
      }
  }
  return added;
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
