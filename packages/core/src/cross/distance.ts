import type { Performance } from './performance.js';

/** Where an upper performance is put so that its window lies best on that of a lower one: turned by `turn` about Y, then moved. */
export interface Alignment {
  /** Radians. */
  readonly turn: number;
  readonly x: number;
  readonly z: number;
  /** Root of the mean square of what is left between the clouds, in the rig's unit. */
  readonly distance: number;
}

/** Seconds by which a difference of velocities becomes one of places: a metre a second counts as much as 10 cm. */
export const VELOCITY_COUNTS = 0.1;

/** Joints that count less than this are left out: they are many, and small. */
const LIGHTEST = 0.002;

/**
 * One performance made ready for distances: for every sample the horizontal places and velocities of its points, then the
 * vertical ones, each times the root of the point's mass, so that the sums over points are products of rows; and the sums
 * that need one performance alone.
 */
export interface Rows {
  readonly count: number;
  readonly points: number;
  /** `x…, z…, vx…, vz…` of a sample, four numbers a point. */
  readonly flat: Float64Array;
  /** `y…, vy…` of a sample. */
  readonly high: Float64Array;
  /** Of each sample the sums of `x` and `z` by mass, and of the squares of everything. */
  readonly x: Float64Array;
  readonly z: Float64Array;
  readonly squares: Float64Array;
}

export function rowsOf(
  { joints, count, positions, velocities, masses }: Performance,
  counts: (joint: number) => boolean = () => true,
): Rows {
  const used = Array.from(masses.keys()).filter((j) => masses[j] >= LIGHTEST && counts(j));
  const all = used.reduce((sum, j) => sum + masses[j], 0) || 1;
  const points = used.length;
  const rows: Rows = {
    count,
    points,
    flat: new Float64Array(4 * points * count),
    high: new Float64Array(2 * points * count),
    x: new Float64Array(count),
    z: new Float64Array(count),
    squares: new Float64Array(count),
  };
  for (let s = 0; s < count; s++)
    for (const [p, j] of used.entries()) {
      const mass = masses[j] / all;
      const root = Math.sqrt(mass);
      const o = 3 * (s * joints + j);
      const [x, y, z] = positions.subarray(o, o + 3);
      const [vx, vy, vz] = velocities.subarray(o, o + 3).map((value) => value * VELOCITY_COUNTS);
      const f = 4 * points * s + p;
      rows.flat[f] = root * x;
      rows.flat[f + points] = root * z;
      rows.flat[f + 2 * points] = root * vx;
      rows.flat[f + 3 * points] = root * vz;
      rows.high[2 * points * s + p] = root * y;
      rows.high[2 * points * s + points + p] = root * vy;
      rows.x[s] += mass * x;
      rows.z[s] += mass * z;
      rows.squares[s] += mass * (x * x + y * y + z * z + vx * vx + vy * vy + vz * vz);
    }
  return rows;
}

/** Sums over the points of a pair of samples: along, across and up. Written to `out[o]`, `out[o + 1]`, `out[o + 2]`. */
function pairSums(a: Rows, s: number, b: Rows, t: number, out: Float64Array, o: number): void {
  const { points: n } = a;
  const A = a.flat;
  const B = b.flat;
  let along = 0;
  let across = 0;
  let up = 0;
  // Places, then velocities: of each first x, then z.
  for (let part = 0; part < 2; part++) {
    const i = 4 * n * s + 2 * n * part;
    const j = 4 * n * t + 2 * n * part;
    for (let p = 0; p < n; p++) {
      const x = A[i + p];
      const z = A[i + n + p];
      const u = B[j + p];
      const w = B[j + n + p];
      along += x * u + z * w;
      across += x * w - z * u;
    }
  }
  for (let k = 0; k < 2 * n; k++) up += a.high[2 * n * s + k] * b.high[2 * n * t + k];
  out[o] = along;
  out[o + 1] = across;
  out[o + 2] = up;
}

/** The best alignment of what was summed over a window of `w` samples. */
function aligned(w: number, sums: Float64Array): Alignment {
  const along = sums[0];
  const across = sums[1];
  const up = sums[2];
  const xa = sums[3];
  const za = sums[4];
  const xb = sums[5];
  const zb = sums[6];
  const squares = sums[7];
  const dot = along - (xa * xb + za * zb) / w;
  const cross = across - (xa * zb - za * xb) / w;
  const turn = Math.atan2(cross, dot);
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const left =
    squares - (xa * xa + za * za) / w - (xb * xb + zb * zb) / w - 2 * Math.hypot(dot, cross) - 2 * up;
  return {
    turn,
    x: (xa - xb * c - zb * s) / w,
    z: (za + xb * s - zb * c) / w,
    distance: Math.sqrt(Math.max(0, left) / w),
  };
}

/**
 * How a window of samples around `t` of the upper performance lies best on the window around `s` of the lower one. The
 * windows are clouds of points with velocities; the turn about Y and the move on the floor that leave the smallest sum of
 * squares are found in closed form (Kovar, Gleicher and Pighin, *Motion Graphs*, 2002; velocities turn, but do not move).
 */
export function alignment(a: Rows, s: number, b: Rows, t: number, reach: number): Alignment {
  const sums = new Float64Array(8);
  const pair = new Float64Array(3);
  for (let k = -reach; k <= reach; k++) {
    pairSums(a, s + k, b, t + k, pair, 0);
    for (let c = 0; c < 3; c++) sums[c] += pair[c];
    addOwn(sums, a, s + k, b, t + k);
  }
  return aligned(2 * reach + 1, sums);
}

function addOwn(sums: Float64Array, a: Rows, s: number, b: Rows, t: number): void {
  sums[3] += a.x[s];
  sums[4] += a.z[s];
  sums[5] += b.x[t];
  sums[6] += b.z[t];
  sums[7] += a.squares[s] + b.squares[t];
}

/**
 * Distances of the windows around samples `from` to `to` (not included) of the lower performance and around every sample of
 * the upper one: row after row, `b.count` numbers each, infinite where a window does not fit in.
 */
export function distanceRows(a: Rows, b: Rows, reach: number, from: number, to: number): Float32Array {
  const out = new Float32Array((to - from) * b.count).fill(Number.POSITIVE_INFINITY);
  const first = Math.max(0, from - reach);
  const last = Math.min(a.count, to + reach);
  const pairs = new Float64Array(3 * (last - first) * b.count);
  for (let s = first; s < last; s++)
    for (let t = 0; t < b.count; t++) pairSums(a, s, b, t, pairs, 3 * ((s - first) * b.count + t));
  const sums = new Float64Array(8);
  for (let s = Math.max(from, reach); s < Math.min(to, a.count - reach); s++)
    for (let t = reach; t < b.count - reach; t++) {
      sums.fill(0);
      for (let k = -reach; k <= reach; k++) {
        const o = 3 * ((s + k - first) * b.count + t + k);
        for (let c = 0; c < 3; c++) sums[c] += pairs[o + c];
        addOwn(sums, a, s + k, b, t + k);
      }
      out[(s - from) * b.count + t] = aligned(2 * reach + 1, sums).distance;
    }
  return out;
}
