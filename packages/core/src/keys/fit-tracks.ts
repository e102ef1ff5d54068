import { eulerToQuaternion } from '../math/euler.js';
import { angleBetween, normalize } from '../math/quaternion.js';
import { rigHeight } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { copySamples } from '../take/sample.js';
import type { Samples } from '../take/take.js';
import { CORNER, fitLines, fitSpline, PINNED, type Spline, writeLine, writeSpline } from './spline.js';
import { type KeyTrack, putTrack } from './tracks.js';
import {
  armsOf,
  type MotionError,
  motionError,
  type Places,
  pointDistance,
  visitErrors,
} from './whole-pose.js';

/** How far a motion made of keys may be from its samples, in the whole pose. */
export interface KeyLimits {
  /** Of joints and end sites, in units of the rig. */
  readonly length: number;
  /** Of the global orientation of joints, in degrees. */
  readonly angle: number;
}

/** Limits that nobody sees: a millimetre on a person of 1.7 metres, and a fifth of a degree (common practice). */
export const usualLimits = (rig: Rig): KeyLimits => ({ length: rigHeight(rig) / 1700, angle: 0.2 });

/** A sample at which keys are wanted: of all joints or of some, which keep their pose there and may turn sharply. */
export interface WantedKey {
  readonly sample: number;
  readonly joints?: ReadonlySet<number>;
  readonly sharp?: boolean;
}

/** The part of the limits that a single track may take at first, before the whole pose is looked at. */
const FIRST_SHARE = { curved: 0.65, straight: 1 };
/** Of what each joint above a place adds to its error, those that add so much of the most are made finer. */
const BLAME = 0.8;
/** How often it is tried to do with fewer keys, and the part of the room that is left which each of them may take. */
const ROOM_SHARES = [0.6, 0.5];
/** Samples that are looked at before it is asked whether any is missed. */
const PIECE = 16;
/** The part of the limits that is used, for numbers that are rounded on their way through files. */
const MARGIN = 0.995;

/** One track on its way to few keys. */
interface Fit {
  readonly track: KeyTrack;
  readonly marks: Uint8Array;
  /** Whether there is a knot at each sample. */
  readonly knots: Uint8Array;
  /** Whether knots are joined straight. */
  readonly straight: boolean;
  spline: Spline;
  readonly fit: Float64Array;
  /** How far the fit is from each sample: radians of a rotation, a length, or a factor. */
  readonly off: Float64Array;
}

/** Splines with few knots for the tracks of a motion, and the largest error of the whole pose. */
export interface FittedTracks {
  readonly splines: readonly Spline[];
  readonly error: MotionError;
}

interface Job {
  readonly rig: Rig;
  readonly places: Places;
  /** The motion of the fits as they are. */
  readonly now: Samples;
  /** For each joint the fits of its tracks. */
  readonly byJoint: readonly (readonly Fit[])[];
  /** Limits: a length, and an angle in radians. */
  readonly length: number;
  readonly angle: number;
  /** For each joint the distance of the farthest point that hangs on it. */
  readonly arms: Float64Array;
}

/**
 * Finds splines with few knots for some tracks of a motion, so that no joint or end site is further from the samples than a
 * length, and no joint's global orientation than an angle. Knots are added where the whole pose is missed, to the joints
 * that add the most to it; then those are taken out that the room which is left can do without. What no track holds stays
 * as it is in `samples`, which are not changed. With `straight` the knots are joined by lines, quaternions by slerp.
 */
export function fitTracks(
  rig: Rig,
  samples: Samples,
  places: Places,
  tracks: readonly KeyTrack[],
  limits: KeyLimits,
  wanted: readonly WantedKey[] = [],
  straight = false,
): FittedTracks {
  const { count } = samples;
  const fits = tracks.map((track) => newFit(track, count, wanted, straight));
  const job: Job = {
    rig,
    places,
    now: copySamples(samples),
    byJoint: byJoint(rig, fits),
    length: Math.max(1e-12, MARGIN * limits.length),
    angle: Math.max(1e-9, (MARGIN * limits.angle * Math.PI) / 180),
    arms: armsOf(places),
  };
  for (const fit of fits) {
    begin(job, fit);
    putTrack(rig, fit.track, fit.fit, job.now);
  }
  settle(job);
  for (const share of ROOM_SHARES) {
    thinOut(job, share);
    settle(job);
  }
  return { splines: fits.map(({ spline }) => spline), error: motionError(places, job.now) };
}

const byJoint = (rig: Rig, fits: readonly Fit[]): Fit[][] => {
  const lists = rig.joints.map((): Fit[] => []);
  for (const fit of fits) lists[fit.track.joint].push(fit);
  return lists;
};

function newFit(track: KeyTrack, count: number, wanted: readonly WantedKey[], straight: boolean): Fit {
  const marks = new Uint8Array(count);
  const knots = new Uint8Array(count);
  knots[0] = 1;
  marks[0] = PINNED;
  marks[count - 1] |= PINNED;
  if (!isStill(track.values, track.size)) {
    knots[count - 1] = 1;
    for (const { sample, joints, sharp } of wanted) {
      if (sample < 0 || sample >= count || (joints && !joints.has(track.joint))) continue;
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

/** Gives a track knots as far apart as one after the other can stand, for it to take no more than a share of the limits. */
function begin({ rig, length, angle, arms }: Job, fit: Fit): void {
  const { track, knots, straight } = fit;
  const { kind, joint } = track;
  const turn = length / (arms[joint] || 1e-9);
  const most =
    FIRST_SHARE[straight ? 'straight' : 'curved'] *
    (kind === 'translations' ? length : kind === 'rotations' ? Math.min(angle, turn) : turn);
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
function farthest(
  rig: Rig,
  { track, fit, off, straight }: Fit,
  from: number,
  end: number,
  most: number,
): number {
  const serves = (to: number): boolean => {
    if (straight) writeLine(track.size, track.values, from, to, fit, from, to);
    else bridge(track, from, to, track.values, from, to, fit);
    for (let s = from + 1; s < to; s += PIECE) {
      const last = Math.min(to - 1, s + PIECE - 1);
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
function refit(rig: Rig, fit: Fit): void {
  const { track, knots, marks, straight } = fit;
  const at: number[] = [];
  for (let s = 0; s < knots.length; s++) if (knots[s]) at.push(s);
  fit.spline = splineOf(track, Int32Array.from(at), marks, straight);
  writeSpline(fit.spline, fit.fit);
  measureOff(rig, track, fit.fit, 0, knots.length - 1, fit.off);
}

const turn = new Float64Array(8);

/** Writes how far values of a track are from its samples, from one sample to another. */
function measureOff(
  rig: Rig,
  { joint, kind, size, values }: KeyTrack,
  fit: Float64Array,
  from: number,
  to: number,
  out: Float64Array,
): void {
  if (kind === 'rotations') {
    const { order } = rig.joints[joint];
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
function splitWhere({ knots, marks, off, spline }: Fit, isMissed: (sample: number) => boolean): boolean {
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

/** Adds knots where the whole pose is missed, until it is nowhere. */
function settle(job: Job): void {
  const { rig, places, now, byJoint, length, angle } = job;
  const blamed = new Map(byJoint.flat().map((fit) => [fit, new Uint8Array(places.count)]));
  for (;;) {
    let missed = false;
    visitErrors(places, now, (s, lengths, angles) => {
      for (let p = 0; p < lengths.length; p++)
        if (lengths[p] > length) {
          missed = true;
          blame(job, blamed, s, places.owners[p], p);
        }
      for (let j = 0; j < angles.length; j++)
        if (angles[j] > angle) {
          missed = true;
          blame(job, blamed, s, j, -1);
        }
    });
    if (!missed) return;
    let changed = false;
    for (const [fit, marks] of blamed) {
      if (splitWhere(fit, (s) => marks[s] === 1)) {
        refit(rig, fit);
        putTrack(rig, fit.track, fit.fit, now);
        changed = true;
      }
      marks.fill(0);
    }
    if (!changed) return;
  }
}

/** Marks the tracks that add the most to what is missed at a sample: of a point, or of a joint's orientation (`point` -1). */
function blame(
  { byJoint, rig, places }: Job,
  blamed: ReadonlyMap<Fit, Uint8Array>,
  s: number,
  joint: number,
  point: number,
): void {
  const { points, owners } = places;
  const row = 3 * owners.length * s;
  const adds = ({ track, off }: Fit): number => {
    if (point < 0) return track.kind === 'rotations' ? off[s] : 0;
    if (track.kind === 'translations') return off[s];
    return off[s] * pointDistance(points, row + 3 * point, row + 3 * track.joint);
  };
  let most = 0;
  for (let j = joint; j >= 0; j = rig.joints[j].parent)
    for (const fit of byJoint[j]) most = Math.max(most, adds(fit));
  if (most === 0) return;
  for (let j = joint; j >= 0; j = rig.joints[j].parent)
    for (const fit of byJoint[j]) if (adds(fit) >= BLAME * most) blamed.get(fit)![s] = 1;
}

/**
 * Takes knots out, no two beside each other, without which the segment around them is off by no more than now and a share
 * of the room that is left in the whole pose.
 */
function thinOut(job: Job, share: number): void {
  const { rig, places, now, byJoint, length, angle, arms } = job;
  const n = rig.joints.length;
  // The least room that is left of all that hangs on a joint.
  const turns = new Float32Array(n * places.count);
  const moves = new Float32Array(n * places.count);
  visitErrors(places, now, (s, lengths, angles) => {
    const row = n * s;
    for (let j = 0; j < n; j++) {
      turns[row + j] = angle - angles[j];
      moves[row + j] = length - lengths[j];
    }
    for (let p = n; p < lengths.length; p++) {
      const j = row + places.owners[p];
      moves[j] = Math.min(moves[j], length - lengths[p]);
    }
    for (let j = n - 1; j >= 0; j--) {
      const { parent } = rig.joints[j];
      if (parent < 0) continue;
      turns[row + parent] = Math.min(turns[row + parent], turns[row + j]);
      moves[row + parent] = Math.min(moves[row + parent], moves[row + j]);
    }
  });
  const off = new Float64Array(places.count);
  for (const fit of byJoint.flat()) {
    const { track, spline, knots, marks, straight } = fit;
    const { kind, joint } = track;
    const room = (s: number): number => {
      const at = n * s + joint;
      if (kind === 'translations') return moves[at];
      const turn = moves[at] / (arms[joint] || 1e-9);
      return kind === 'rotations' ? Math.min(turn, turns[at]) : turn;
    };
    const values = new Float64Array(track.values.length);
    let taken = -2;
    let changed = false;
    for (let k = 1; k + 1 < spline.knots.length; k++) {
      const at = spline.knots[k];
      if (k - 1 === taken || marks[at] & PINNED) continue;
      const [a, b] = [spline.knots[k - 1], spline.knots[k + 1]];
      if (straight) writeLine(track.size, spline.values, k - 1, k + 1, values, a, b);
      else bridge(track, a, b, spline.values, k - 1, k + 1, values);
      measureOff(rig, track, values, a + 1, b - 1, off);
      let serves = true;
      for (let s = a + 1; s < b && serves; s++) serves = off[s] <= fit.off[s] + share * Math.max(0, room(s));
      if (!serves) continue;
      knots[at] = 0;
      taken = k;
      changed = true;
    }
    if (!changed) continue;
    refit(rig, fit);
    putTrack(rig, track, fit.fit, now);
  }
}

/**
 * Writes the values of a segment from sample `a` to sample `b`, without its ends: from the value `va` to the value `vb` of
 * `values`, with the slopes that fit best.
 */
function bridge(
  { size, values: samples }: KeyTrack,
  a: number,
  b: number,
  values: Float64Array,
  va: number,
  vb: number,
  out: Float64Array,
): void {
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
