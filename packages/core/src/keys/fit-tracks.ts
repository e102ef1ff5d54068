import { angleBetween, slerp } from '../math/quaternion.js';
import { rigHeight } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { topologyOf } from '../rig/topology.js';
import { copySamples } from '../take/sample.js';
import type { Samples } from '../take/take.js';
import { samplesBetween, valuesBetween } from './between.js';
import { type PoseErrors, poseErrors, refresh } from './pose-errors.js';
import { PINNED, type Spline, writeBetween } from './spline.js';
import {
  bridge,
  type Fit,
  measureOff,
  newFit,
  refit,
  splitWhereMissed,
  spreadKnots,
  type WantedKey,
} from './track-fit.js';
import { type KeyTrack, putTrack, withValues } from './tracks.js';
import {
  armsOf,
  type ErrorsAt,
  errorsFrom,
  lookAt,
  type MotionError,
  motionError,
  type Places,
  placesOf,
  pointDistance,
} from './whole-pose.js';

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

/** The part of the limits that a single track may take at first, before the whole pose is looked at. */
const FIRST_SHARE = { curved: 0.65, straight: 1 };
/** Of what each joint above a place adds to its error, those that add so much of the most are made finer. */
const MOST_PART = 0.8;
/** How often it is tried to do with fewer keys, and the part of the room that is left which each of them may take. */
const ROOM_SHARES = [0.6, 0.5];
/** Parts of a step at which it is looked between samples, and times the limits from which a track swings there. */
const LOOKED = [0.25, 0.75];
const SWINGS = 2;
/** How often it is looked between samples, and knots are added there. */
const ROUNDS = 2;
/** The part of the limits that is used, for numbers that are rounded on their way through files. */
const MARGIN = 0.995;

/** Splines with few knots for the tracks of a motion, and the largest error of the whole pose. */
export interface FittedTracks {
  readonly splines: readonly Spline[];
  readonly error: MotionError;
}

interface Job {
  readonly rig: Rig;
  readonly places: Places;
  /** The motion of the fits as they are, and how far it is off. */
  readonly now: Samples;
  readonly errors: PoseErrors;
  readonly fits: readonly Fit[];
  /** For each joint the fits of its tracks and of those of all joints above it. */
  readonly chains: readonly (readonly Fit[])[];
  /** What each track of a chain adds, while it is looked at. */
  readonly adds: Float64Array;
  /** Limits: a length, an angle in radians, and a plain number. */
  readonly length: number;
  readonly angle: number;
  readonly number: number;
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
    const looks = LOOKED.map((part) => lookBetween(job, samples, part));
    for (let round = 0; round < ROUNDS && settleBetween(job, looks, samples); round++) settle(job);
  }
  return { splines: fits.map(({ spline }) => spline), error: motionError(places, job.now) };
}

/** How far a track may be off at first: what its joint may, or what the farthest point that hangs on it may. */
function firstShare(
  { length, angle, number, arms }: Job,
  { track: { kind, member: joint }, straight }: Fit,
): number {
  // Nothing hangs on a face channel.
  if (kind === 'faces') return number;
  const turn = length / (arms[joint] || 1e-9);
  const most = kind === 'translations' ? length : kind === 'rotations' ? Math.min(angle, turn) : turn;
  return FIRST_SHARE[straight ? 'straight' : 'curved'] * most;
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

/**
 * The part of what a track may be off by which it has to change for its samples to be looked at again, and by which for its joint to be
 * placed again where they are: knots that are added change a spline a little as far as it goes.
 */
const NOTICED = 1e-3;
const FELT = 1e-7;

/** Fits a track to its knots as they are now, and marks the samples at which it has changed noticeably. */
function fitAnew(job: Job, fit: Fit, stale?: Uint8Array): void {
  const { rig, now, errors } = job;
  const before = fit.fit.slice();
  refit(rig, fit);
  putTrack(rig, fit.track, fit.fit, now);
  const share = firstShare(job, fit);
  const n = rig.joints.length;
  const row = fit.track.kind === 'faces' ? undefined : errors.changed;
  markChanges(before, fit, FELT * share, row, n);
  if (stale) markChanges(before, fit, NOTICED * share, stale, 0);
}

/** Marks the samples at which a fit has changed by more than something: of `n` joints that of the track, or without any the sample. */
function markChanges(
  before: Float64Array,
  { fit: after, track: { size, member } }: Fit,
  least: number,
  marks: Uint8Array | undefined,
  n: number,
): void {
  if (!marks) return;
  for (let i = 0; i < after.length; i++)
    if (Math.abs(after[i] - before[i]) > least) {
      const s = Math.floor(i / size);
      marks[n === 0 ? s : n * s + member] = 1;
    }
}

/**
 * Adds knots on both sides of where the whole pose is missed between samples, held against what a file with every sample
 * gives there, straight lines, and as far as a smooth way bows off those: between two knots that follow one another a track
 * goes straight. Says whether there were any.
 */
function settleBetween(job: Job, looks: readonly LookBetween[], samples: Samples): boolean {
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
interface LookBetween {
  readonly part: number;
  readonly errors: ErrorsAt;
  /** For each fit one of what lies between its samples; what it misses is marked in both. */
  readonly own: readonly Fit[];
  readonly chains: readonly (readonly Fit[])[];
}

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

/** Marks the tracks of a chain that add the most to what is missed at a sample: of a point, or of the last joint's orientation (`point` -1). */
function markMost(
  chain: readonly Fit[],
  adds: Float64Array,
  { points, owners }: Places,
  s: number,
  point: number,
): void {
  const row = 3 * owners.length * s;
  let most = 0;
  for (let k = 0; k < chain.length; k++) {
    const { track, off } = chain[k];
    let own = off[s];
    if (point < 0) own = track.kind === 'rotations' ? own : 0;
    else if (track.kind !== 'translations')
      own *= pointDistance(points, row + 3 * point, row + 3 * track.member);
    adds[k] = own;
    if (own > most) most = own;
  }
  if (most === 0) return;
  for (let k = 0; k < chain.length; k++) if (adds[k] >= MOST_PART * most) chain[k].missed[s] = 1;
}

/** For each joint the fits of its tracks and of those of all joints above it. */
function chainsOf({ joints }: Rig, fits: readonly Fit[]): Fit[][] {
  const lists = joints.map((): Fit[] => []);
  for (const fit of fits) if (fit.track.kind !== 'faces') lists[fit.track.member].push(fit);
  return joints.map((_, joint) => {
    const chain: Fit[] = [];
    for (let j = joint; j >= 0; j = joints[j].parent) chain.push(...lists[j]);
    return chain;
  });
}

/**
 * Takes knots out, no two beside each other, without which the segment around them is off by no more than now and a share
 * of the room that is left in the whole pose.
 */
function thinOut(job: Job, share: number): void {
  const room = roomIn(job);
  const off = new Float64Array(job.places.count);
  for (const fit of job.fits) if (thin(job, fit, roomOf(job, room, fit), share, off)) fitAnew(job, fit);
}

/** The least room that is left of all that hangs on a joint: for its turn, in radians, and for its way; sample after sample. */
interface Room {
  readonly turns: Float32Array;
  readonly moves: Float32Array;
}

function roomIn(job: Job): Room {
  const { rig, places } = job;
  const n = rig.joints.length;
  const room = { turns: new Float32Array(n * places.count), moves: new Float32Array(n * places.count) };
  for (let s = 0; s < places.count; s++) {
    refresh(job.errors, s);
    writeRoom(job, s, room);
  }
  return room;
}

function writeRoom(
  { rig, errors, places: { owners }, length, angle }: Job,
  s: number,
  { turns, moves }: Room,
) {
  const lengths = errors.lengths[s];
  const angles = errors.angles[s];
  const { parents } = topologyOf(rig);
  const n = parents.length;
  const row = n * s;
  for (let j = 0; j < n; j++) {
    turns[row + j] = angle - angles[j];
    moves[row + j] = length - lengths[j];
  }
  for (let p = n; p < lengths.length; p++) {
    const j = row + owners[p];
    moves[j] = Math.min(moves[j], length - lengths[p]);
  }
  for (let j = n - 1; j >= 0; j--) {
    const parent = parents[j];
    if (parent < 0) continue;
    turns[row + parent] = Math.min(turns[row + parent], turns[row + j]);
    moves[row + parent] = Math.min(moves[row + parent], moves[row + j]);
  }
}

/** The room that a track has at each sample. */
function roomOf({ rig, arms, number }: Job, { turns, moves }: Room, { track, off }: Fit): Float64Array {
  const { kind, member } = track;
  const n = rig.joints.length;
  const arm = kind === 'translations' ? 1 : arms[member] || 1e-9;
  const room = new Float64Array(off.length);
  for (let s = 0; s < room.length; s++) {
    if (kind === 'faces') room[s] = number - off[s];
    else {
      const move = moves[n * s + member] / arm;
      room[s] = kind === 'rotations' ? Math.min(move, turns[n * s + member]) : move;
    }
  }
  return room;
}

/** Takes knots out of one track. Says whether there were any. `off` is room for what is measured. */
function thin({ rig }: Job, fit: Fit, room: Float64Array, share: number, off: Float64Array): boolean {
  const { track, spline, knots, marks } = fit;
  const values = new Float64Array(track.values.length);
  let taken = -2;
  for (let k = 1; k + 1 < spline.knots.length; k++) {
    const at = spline.knots[k];
    if (k - 1 === taken || marks[at] & PINNED) continue;
    const [a, b] = [spline.knots[k - 1], spline.knots[k + 1]];
    bridge(fit, a, b, spline.values, k - 1, k + 1, values);
    measureOff(rig, track, values, a + 1, b - 1, off);
    let serves = true;
    for (let s = a + 1; s < b && serves; s++) serves = off[s] <= fit.off[s] + share * Math.max(0, room[s]);
    if (!serves) continue;
    knots[at] = 0;
    taken = k;
  }
  return taken > 0;
}
