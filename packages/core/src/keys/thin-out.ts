import { topologyOf } from '../rig/topology.js';
import { fitAnew, type Job } from './fit-job.js';
import { refresh } from './pose-errors.js';
import { PINNED } from './spline.js';
import { bridge, type Fit, measureOff } from './track-fit.js';

/**
 * Takes knots out, no two beside each other, without which the segment around them is off by no more than now and a share
 * of the room that is left in the whole pose.
 */
export function thinOut(job: Job, share: number): void {
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
