import { angleBetween, slerp } from '../math/quaternion.js';
import { copySamples } from '../take/sample.js';
import type { Samples } from '../take/take.js';
import { samplesBetween, valuesBetween } from './between.js';
import { chainsOf, fitAnew, type Job, markMost } from './fit-job.js';
import { writeBetween } from './spline.js';
import { type Fit, measureOff } from './track-fit.js';
import { putTrack, withValues } from './tracks.js';
import { type ErrorsAt, errorsFrom, lookAt, type Places, placesOf } from './whole-pose.js';

/** Parts of a step at which it is looked between samples, and times the limits from which a track swings there. */
const LOOKED = [0.25, 0.75];
const SWINGS = 2;

/**
 * Adds knots on both sides of where the whole pose is missed between samples, held against what a file with every sample
 * gives there, straight lines, and as far as a smooth way bows off those: between two knots that follow one another a track
 * goes straight. Says whether there were any.
 */
export function settleBetween(job: Job, looks: readonly LookBetween[], samples: Samples): boolean {
  const { rig, fits, number } = job;
  for (const { missed } of fits) missed.fill(0);
  for (const look of looks) {
    const { part, errors, own } = look;
    const fitted = new Float64Array(4 * errors.places.count);
    for (const [k, { track, off, missed }] of own.entries()) {
      const values = fitted.subarray(0, track.values.length);
      writeBetween(fits[k].spline, part, values);
      measureOff(rig, track, values, 0, errors.places.count - 1, off);
      putTrack(rig, track, values, errors.samples);
      if (track.kind === 'faces') markSwings(track.values, off, missed, number);
    }
    for (let s = 0; s < errors.places.count; s++) {
      lookAt(errors, s);
      markBetween(job, look, s);
    }
  }
  let changed = false;
  for (const fit of fits) {
    const added = knotsAround(fit, samples.count);
    fit.missed.fill(0);
    if (!added) continue;
    fitAnew(job, fit);
    changed = true;
  }
  return changed;
}

/** Marks where a face channel swings between samples. */
function markSwings(values: Float64Array, off: Float64Array, missed: Uint8Array, number: number): void {
  for (let s = 0; s < off.length; s++)
    if (off[s] > SWINGS * number && off[s] > SWINGS * number + bowOfNumber(values, s)) missed[s] = 1;
}

/** Marks what the whole pose is missed by behind a sample. */
function markBetween(
  job: Job,
  { errors: { places, lengths, angles }, chains }: LookBetween,
  s: number,
): void {
  const { length, angle, adds } = job;
  for (let p = 0; p < lengths.length; p++)
    if (lengths[p] > SWINGS * length && lengths[p] > SWINGS * length + bowOfPoint(job.places, s, p))
      markMost(chains[places.owners[p]], adds, places, s, p);
  for (let j = 0; j < angles.length; j++)
    if (angles[j] > SWINGS * angle && angles[j] > SWINGS * angle + bowOfTurn(job.places, s, j))
      markMost(chains[j], adds, places, s, -1);
}

/** Adds knots before and behind what is missed between samples. Says whether any was none yet. */
function knotsAround({ knots, missed }: Fit, count: number): boolean {
  let added = false;
  for (let s = 0; s + 1 < count; s++) {
    if (missed[s] === 0) continue;
    added ||= knots[s] === 0 || knots[s + 1] === 0;
    knots[s] = 1;
    knots[s + 1] = 1;
  }
  return added;
}

/** What is wanted a part of a step behind each sample, and how far the splines are off it there. */
export interface LookBetween {
  readonly part: number;
  readonly errors: ErrorsAt;
  /** For each fit one of what lies between its samples; what it misses is marked in both. */
  readonly own: readonly Fit[];
  readonly chains: readonly (readonly Fit[])[];
}

/** Looks at all such parts. */
export const looksBetween = (job: Job, samples: Samples): LookBetween[] =>
  LOOKED.map((part) => lookBetween(job, samples, part));

function lookBetween({ rig, fits }: Job, samples: Samples, part: number): LookBetween {
  const wanted = samplesBetween(samples, part);
  const own = fits.map(({ track, marks, knots, straight, spline, fit, missed }): Fit => {
    const { size, values, below, kind } = track;
    const stride = samples[kind].size;
    return {
      track: withValues(
        track,
        valuesBetween(values, size, size, part),
        below && valuesBetween(below, stride, stride, part),
      ),
      marks,
      knots,
      straight,
      spline,
      fit,
      off: new Float64Array(wanted.count),
      missed,
    };
  });
  return {
    part,
    errors: errorsFrom(placesOf(rig, wanted), copySamples(wanted)),
    own,
    chains: chainsOf(rig, own),
  };
}

/** How far a smooth way through samples bows off the straight line between them, for second differences of a size. */
const BOW = 1 / 8;

/** How far the path of a point may bow off the line from a sample to the next, by the larger second difference there. */
function bowOfPoint({ points, owners, count }: Places, s: number, p: number): number {
  const row = 3 * owners.length;
  let most = 0;
  for (let k = Math.max(1, s); k <= Math.min(count - 2, s + 1); k++) {
    const o = row * k + 3 * p;
    let squared = 0;
    for (let i = o; i < o + 3; i++) squared += (points[i - row] - 2 * points[i] + points[i + row]) ** 2;
    most = Math.max(most, Math.sqrt(squared));
  }
  return BOW * most;
}

/** The same of a plain number; `values` are those between the samples. */
function bowOfNumber(values: Float64Array, s: number): number {
  if (s < 1 || s + 1 >= values.length) return 0;
  return BOW * Math.abs(values[s - 1] - 2 * values[s] + values[s + 1]);
}

/** The same of the orientation of a joint, in radians. */
function bowOfTurn({ rig, orientations, count }: Places, s: number, j: number): number {
  const n = rig.joints.length;
  let most = 0;
  for (let k = Math.max(1, s); k <= Math.min(count - 2, s + 1); k++) {
    slerp(middle, 0, orientations, 4 * (n * (k - 1) + j), orientations, 4 * (n * (k + 1) + j), 0.5);
    most = Math.max(most, 2 * angleBetween(middle, 0, orientations, 4 * (n * k + j)));
  }
  return BOW * most;
}

const middle = new Float64Array(4);
