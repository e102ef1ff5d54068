import { measureAngle } from '../math/quaternion.js';
import { facesOf } from '../rig/members.js';
import { type Placed, placeAll, placePose } from '../rig/placed.js';
import { restPose, rigHeight } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { readSample } from '../take/sample.js';
import type { Samples } from '../take/take.js';

/** What is measured of a motion: where all joints and end sites are, how all joints are turned, and all face channels. */
export interface Places {
  readonly rig: Rig;
  readonly count: number;
  /** The joint of each point: all joints, then end sites, then what surrounds joints that scale. */
  readonly owners: Int32Array;
  /** Where each point is in the axes of its joint, three numbers each. */
  readonly offsets: Float64Array;
  /** Three numbers a point and sample. */
  readonly points: Float64Array;
  /** Four numbers a joint and sample. */
  readonly orientations: Float64Array;
  /** A number a face channel and sample. */
  readonly faces: Float64Array;
}

/** How far around a joint that scales it is looked, as a part of the height of the rig. */
const AROUND = 0.05;
/** A scale that differs by less than this is the same. */
const SAME_SCALE = 1e-6;

/** Joints whose scale is another one at some sample. */
function scaledJoints({ scales: { joints, values } }: Samples): number[] {
  const size = 3 * joints.length;
  return [...joints].filter((_, entry) => {
    for (let o = 3 * entry; o < values.length; o += size)
      for (let c = 0; c < 3; c++)
        if (Math.abs(values[o + c] - values[3 * entry + c]) > SAME_SCALE) return true;
    return false;
  });
}

/**
 * The joint on which each point stands, and where in its axes: a joint itself, or an end site of it. Of a joint that scales
 * three points more, one along each of its axes: its surface scales too where nothing hangs on it.
 */
function pointsOf(rig: Rig, samples: Samples): { owners: Int32Array; offsets: Float64Array } {
  const around = AROUND * (rigHeight(rig) || 1);
  const more = [
    ...rig.joints.flatMap(({ ends }, joint) => ends.map((at) => ({ joint, at }))),
    ...scaledJoints(samples).flatMap((joint) =>
      [0, 1, 2].map((axis) => ({ joint, at: [0, 1, 2].map((k) => (k === axis ? around : 0)) })),
    ),
  ];
  const n = rig.joints.length;
  const owners = Int32Array.from([...rig.joints.keys(), ...more.map(({ joint }) => joint)]);
  const offsets = new Float64Array(3 * owners.length);
  more.forEach(({ at }, k) => {
    offsets.set(at, 3 * (n + k));
  });
  return { owners, offsets };
}

function writePoints(
  { matrices }: Placed,
  owners: Int32Array,
  offsets: Float64Array,
  out: Float64Array,
  o: number,
): void {
  for (let p = 0; p < owners.length; p++) {
    const m = 16 * owners[p];
    const x = offsets[3 * p];
    const y = offsets[3 * p + 1];
    const z = offsets[3 * p + 2];
    const to = o + 3 * p;
    out[to] = matrices[m] * x + matrices[m + 4] * y + matrices[m + 8] * z + matrices[m + 12];
    out[to + 1] = matrices[m + 1] * x + matrices[m + 5] * y + matrices[m + 9] * z + matrices[m + 13];
    out[to + 2] = matrices[m + 2] * x + matrices[m + 6] * y + matrices[m + 10] * z + matrices[m + 14];
  }
}

/** Finds the places of samples that hold every joint of the rig. */
export function placesOf(rig: Rig, samples: Samples): Places {
  const { owners, offsets } = pointsOf(rig, samples);
  const n = rig.joints.length;
  const { count } = samples;
  const points = new Float64Array(3 * owners.length * count);
  const orientations = new Float64Array(4 * n * count);
  const placed = placePose(rig, restPose(rig));
  for (let s = 0; s < count; s++) {
    readSample(samples, s, placed.pose);
    placeAll(placed);
    writePoints(placed, owners, offsets, points, 3 * owners.length * s);
    orientations.set(placed.orientations, 4 * n * s);
  }
  return { rig, count, owners, offsets, points, orientations, faces: samples.faces.values };
}

/** The largest differences of a motion from another one. */
export interface MotionError {
  /** Of a joint or an end site, in units of the rig, with the joint and the sample. */
  readonly length: number;
  readonly moved: number;
  readonly movedAt: number;
  /** Of a joint's global orientation, in degrees, with the joint and the sample. */
  readonly angle: number;
  readonly turned: number;
  readonly turnedAt: number;
  /** Of a face channel, with its index among the face channels and the sample. */
  readonly number: number;
  readonly changed: number;
  readonly changedAt: number;
}

/** How far samples are off the places of others, at the sample that was looked at last. */
export interface ErrorsAt {
  readonly places: Places;
  readonly samples: Samples;
  readonly placed: Placed;
  /** Where the points are, 3 numbers each. */
  readonly points: Float64Array;
  /** How far each point is off, and each orientation, in radians. */
  readonly lengths: Float64Array;
  readonly angles: Float64Array;
}

/** Room for comparing samples that hold every joint with the places of others. */
export function errorsFrom(places: Places, samples: Samples): ErrorsAt {
  const { rig, owners } = places;
  return {
    places,
    samples,
    placed: placePose(rig, restPose(rig)),
    points: new Float64Array(3 * owners.length),
    lengths: new Float64Array(owners.length),
    angles: new Float64Array(rig.joints.length),
  };
}

/** Compares at a sample. */
export function lookAt({ places, samples, placed, points, lengths, angles }: ErrorsAt, s: number): void {
  readSample(samples, s, placed.pose);
  placeAll(placed);
  writePoints(placed, places.owners, places.offsets, points, 0);
  for (let p = 0; p < lengths.length; p++) {
    const o = 3 * (lengths.length * s + p);
    const x = points[3 * p] - places.points[o];
    const y = points[3 * p + 1] - places.points[o + 1];
    const z = points[3 * p + 2] - places.points[o + 2];
    lengths[p] = Math.sqrt(x * x + y * y + z * z);
  }
  for (let j = 0; j < angles.length; j++)
    measureAngle(placed.orientations, 4 * j, places.orientations, 4 * (angles.length * s + j), angles, j);
}

/** The largest of some numbers so far, whose it is, and at which sample. */
interface Worst {
  most: number;
  whose: number;
  at: number;
}

function takeWorst(worst: Worst, numbers: Float64Array, s: number): void {
  for (let k = 0; k < numbers.length; k++) {
    if (numbers[k] <= worst.most) continue;
    worst.most = numbers[k];
    worst.whose = k;
    worst.at = s;
  }
}

/**
 * The largest differences of samples from the places of others. With `lengths` it writes how far each joint, or an end site of it,
 * is off, a number a joint and sample.
 */
export function motionError(places: Places, samples: Samples, lengths?: Float32Array): MotionError {
  const moved: Worst = { most: 0, whose: 0, at: 0 };
  const turned: Worst = { most: 0, whose: 0, at: 0 };
  const errors = errorsFrom(places, samples);
  for (let s = 0; s < places.count; s++) {
    lookAt(errors, s);
    takeWorst(moved, errors.lengths, s);
    takeWorst(turned, errors.angles, s);
    if (lengths) writeLengths(errors, lengths, s);
  }
  return {
    length: moved.most,
    moved: places.owners[moved.whose],
    movedAt: moved.at,
    angle: (turned.most * 180) / Math.PI,
    turned: turned.whose,
    turnedAt: turned.at,
    ...faceError(places, samples),
  };
}

function writeLengths({ places: { owners }, lengths, angles }: ErrorsAt, out: Float32Array, s: number): void {
  const row = angles.length * s;
  for (let p = 0; p < owners.length; p++) out[row + owners[p]] = Math.max(out[row + owners[p]], lengths[p]);
}

/** The error of samples that lie later by so many. */
export const laterBy = (error: MotionError, by: number): MotionError => ({
  ...error,
  movedAt: error.movedAt + by,
  turnedAt: error.turnedAt + by,
  changedAt: error.changedAt + by,
});

/** Of two errors the larger of each kind, where they are as large the one that comes first. */
export function worseOf(a: MotionError, b: MotionError): MotionError {
  const larger = (kind: 'length' | 'angle' | 'number', at: 'movedAt' | 'turnedAt' | 'changedAt') =>
    a[kind] > b[kind] || (a[kind] === b[kind] && a[at] <= b[at]) ? a : b;
  const { length, moved, movedAt } = larger('length', 'movedAt');
  const { angle, turned, turnedAt } = larger('angle', 'turnedAt');
  const { number, changed, changedAt } = larger('number', 'changedAt');
  return { length, moved, movedAt, angle, turned, turnedAt, number, changed, changedAt };
}

/** The largest difference of a face channel. */
function faceError(
  { rig, faces }: Places,
  samples: Samples,
): Pick<MotionError, 'number' | 'changed' | 'changedAt'> {
  const m = facesOf(rig).length;
  const worst = { number: 0, changed: 0, changedAt: 0 };
  for (let i = 0; i < faces.length; i++) {
    const off = Math.abs(samples.faces.values[i] - faces[i]);
    if (off <= worst.number) continue;
    worst.number = off;
    worst.changed = i % m;
    worst.changedAt = Math.floor(i / m);
  }
  return worst;
}

/** For each joint how far the farthest point that hangs on it is, at the first sample: the arm of its turns. */
export function armsOf({ rig, owners, points }: Places): Float64Array {
  const arms = new Float64Array(rig.joints.length);
  for (let p = 0; p < owners.length; p++)
    for (let j = owners[p]; j >= 0; j = rig.joints[j].parent)
      arms[j] = Math.max(arms[j], pointDistance(points, 3 * p, 3 * j));
  return arms;
}

/** The distance of two points of a buffer. */
export const pointDistance = (p: Float64Array, i: number, j: number): number =>
  Math.sqrt((p[i] - p[j]) ** 2 + (p[i + 1] - p[j + 1]) ** 2 + (p[i + 2] - p[j + 2]) ** 2);
