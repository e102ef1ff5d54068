import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import type { PoseErrors } from './pose-errors.js';
import { type Fit, refit } from './track-fit.js';
import { putTrack } from './tracks.js';
import { type Places, pointDistance } from './whole-pose.js';

/** The part of the limits that a single track may take at first, before the whole pose is looked at. */
const FIRST_SHARE = { curved: 0.65, straight: 1 };
/** Of what each joint above a place adds to its error, those that add so much of the most are made finer. */
const MOST_PART = 0.8;

/** Tracks on their way to few keys, and how far the whole pose is off. */
export interface Job {
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

/** How far a track may be off at first: what its joint may, or what the farthest point that hangs on it may. */
export function firstShare(
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
 * The part of what a track may be off by which it has to change for its samples to be looked at again, and by which for its joint to be
 * placed again where they are: knots that are added change a spline a little as far as it goes.
 */
const NOTICED = 1e-3;
const FELT = 1e-7;

/** Fits a track to its knots as they are now, and marks the samples at which it has changed noticeably. */
export function fitAnew(job: Job, fit: Fit, stale?: Uint8Array): void {
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

/** Marks the tracks of a chain that add the most to what is missed at a sample: of a point, or of the last joint's orientation (`point` -1). */
export function markMost(
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
export function chainsOf({ joints }: Rig, fits: readonly Fit[]): Fit[][] {
  const lists = joints.map((): Fit[] => []);
  for (const fit of fits) if (fit.track.kind !== 'faces') lists[fit.track.member].push(fit);
  return joints.map((_, joint) => {
    const chain: Fit[] = [];
    for (let j = joint; j >= 0; j = joints[j].parent) chain.push(...lists[j]);
    return chain;
  });
}
