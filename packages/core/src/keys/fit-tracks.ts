import { rigHeight } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { copySamples } from '../take/sample.js';
import type { Samples } from '../take/take.js';
import { chainsOf, firstShare, fitAnew, type Job, markMost } from './fit-job.js';
import { poseErrors, refresh } from './pose-errors.js';
import { looksBetween, settleBetween } from './settle-between.js';
import type { Spline } from './spline.js';
import { thinOut } from './thin-out.js';
import { type Fit, newFit, splitWhereMissed, spreadKnots, type WantedKey } from './track-fit.js';
import { type KeyTrack, putTrack } from './tracks.js';
import { armsOf, type MotionError, motionError, type Places } from './whole-pose.js';

/** How far a motion made of keys may be from its samples, in the whole pose. */
export interface KeyLimits {
  /** Of joints and end sites, in units of the rig. */
  readonly length: number;
  /** Of the global orientation of joints, in degrees. */
  readonly angle: number;
  /** Of face channels; {@link USUAL_NUMBER} where missing. */
  readonly number?: number;
}

/** How far a face channel may be off where nobody says. */
export const USUAL_NUMBER = 0.005;

/** Limits that nobody sees: a millimetre on a person of 1.7 metres, and a fifth of a degree (common practice). */
export const usualLimits = (rig: Rig): KeyLimits => ({ length: rigHeight(rig) / 1700, angle: 0.2 });

/** How often it is tried to do with fewer keys, and the part of the room that is left which each of them may take. */
const ROOM_SHARES = [0.6, 0.5];
/** How often it is looked between samples, and knots are added there. */
const ROUNDS = 2;
/** The part of the limits that is used, for numbers that are rounded on their way through files. */
const MARGIN = 0.995;

/** Splines with few knots for the tracks of a motion, and the largest error of the whole pose. */
export interface FittedTracks {
  readonly splines: readonly Spline[];
  readonly error: MotionError;
  /** How far each joint, or an end site of it, is off, a number a joint and sample, where that was asked. */
  readonly lengths?: Float32Array;
}

/**
 * Finds splines with few knots for some tracks of a motion, so that no joint or end site is further from the samples than a
 * length, and no joint's global orientation than an angle. Knots are added where the whole pose is missed, to the joints
 * that add the most to it; then those are taken out that the room which is left can do without. What no track holds stays
 * as it is in `samples`, which are not changed. With `straight` the knots are joined by lines, quaternions by slerp; with
 * `watched` it is told how far off each joint is.
 */
export function fitTracks(
  rig: Rig,
  samples: Samples,
  places: Places,
  tracks: readonly KeyTrack[],
  limits: KeyLimits,
  wanted: readonly WantedKey[] = [],
  straight = false,
  watched = false,
): FittedTracks {
  const { count } = samples;
  const fits = tracks.map((track) => newFit(track, count, wanted, straight));
  const now = copySamples(samples);
  const job: Job = {
    rig,
    places,
    now,
    errors: poseErrors(places, now),
    fits,
    chains: chainsOf(rig, fits),
    adds: new Float64Array(fits.length),
    length: Math.max(1e-12, MARGIN * limits.length),
    angle: Math.max(1e-9, (MARGIN * limits.angle * Math.PI) / 180),
    number: Math.max(1e-12, MARGIN * (limits.number ?? USUAL_NUMBER)),
    arms: armsOf(places),
  };
  for (const fit of fits) {
    spreadKnots(rig, fit, firstShare(job, fit));
    putTrack(rig, fit.track, fit.fit, job.now);
  }
  settle(job);
  for (const share of ROOM_SHARES) {
    thinOut(job, share);
    settle(job);
  }
  if (!straight && count > 1) {
    const looks = looksBetween(job, samples);
    for (let round = 0; round < ROUNDS && settleBetween(job, looks, samples); round++) settle(job);
  }
  const lengths = watched ? new Float32Array(rig.joints.length * count) : undefined;
  const error = motionError(places, job.now, lengths);
  return { splines: fits.map(({ spline }) => spline), error, ...(lengths && { lengths }) };
}

/**
 * Adds knots where the whole pose is missed, until it is nowhere. After the first look only the samples are looked at whose
 * fits have changed noticeably since, and all of them once more when none of those is missed.
 */
function settle(job: Job): void {
  const { places, errors, fits, number } = job;
  const stale = new Uint8Array(places.count).fill(1);
  for (const { missed } of fits) missed.fill(0);
  for (let all = true; ; ) {
    let missed = false;
    for (let s = 0; s < places.count; s++) {
      if (stale[s] === 0) continue;
      refresh(errors, s);
      if (markWhole(job, s)) missed = true;
    }
    for (const fit of fits) if (fit.track.kind === 'faces' && markNumbers(fit, number)) missed = true;
    if (!missed && all) return;
    all = !missed;
    stale.fill(all ? 1 : 0);
    if (all) continue;
    let changed = false;
    for (const fit of fits) {
      if (splitWhereMissed(fit)) {
        fitAnew(job, fit, stale);
        changed = true;
      }
      fit.missed.fill(0);
    }
    if (!changed) return;
  }
}

/** Marks what the whole pose is missed by at a sample. Says whether it is. */
function markWhole(job: Job, s: number): boolean {
  const { errors, places, length, angle } = job;
  const lengths = errors.lengths[s];
  const angles = errors.angles[s];
  let missed = false;
  for (let p = 0; p < lengths.length; p++)
    if (lengths[p] > length) {
      missed = true;
      markMost(job.chains[places.owners[p]], job.adds, places, s, p);
    }
  for (let j = 0; j < angles.length; j++)
    if (angles[j] > angle) {
      missed = true;
      markMost(job.chains[j], job.adds, places, s, -1);
    }
  return missed;
}

/** Marks where a face channel is missed. Says whether it is anywhere. */
function markNumbers({ off, missed }: Fit, number: number): boolean {
  let any = false;
  for (let s = 0; s < off.length; s++)
    if (off[s] > number) {
      any = true;
      missed[s] = 1;
    }
  return any;
}
