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
  const n = a.points;
  const A = a.flat;
  const B = b.flat;
  let along = 0;
  let across = 0;
  // Places, then velocities: of each first x, then z.
  let i = 4 * n * s;
  let j = 4 * n * t;
  for (let part = 0; part < 2; part++, i += n, j += n)
    for (const end = i + n; i < end; i++, j++) {
      const x = A[i];
      const z = A[i + n];
      const u = B[j];
      const w = B[j + n];
      along += x * u + z * w;
      across += x * w - z * u;
    }
  let up = 0;
  const high = a.high;
  const other = b.high;
  for (let p = 2 * n * s, q = 2 * n * t, end = p + 2 * n; p < end; p++, q++) up += high[p] * other[q];
  out[o] = along;
  out[o + 1] = across;
  out[o + 2] = up;
}

/** What the best alignment leaves of what was summed over a window of `w` samples: see {@link aligned}. */
function distanceOf(w: number, sums: Float64Array): number {
  const dot = sums[0] - (sums[3] * sums[5] + sums[4] * sums[6]) / w;
  const cross = sums[1] - (sums[3] * sums[6] - sums[4] * sums[5]) / w;
  const own = (sums[3] * sums[3] + sums[4] * sums[4] + sums[5] * sums[5] + sums[6] * sums[6]) / w;
  const left = sums[7] - own - 2 * Math.sqrt(dot * dot + cross * cross) - 2 * sums[2];
  return Math.sqrt(Math.max(0, left) / w);
}

/** The best alignment of what was summed over a window of `w` samples. */
function aligned(w: number, sums: Float64Array): Alignment {
  const [along, across, , xa, za, xb, zb] = sums;
  const turn = Math.atan2(across - (xa * zb - za * xb) / w, along - (xa * xb + za * zb) / w);
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  return {
    turn,
    x: (xa - xb * c - zb * s) / w,
    z: (za + xb * s - zb * c) / w,
    distance: distanceOf(w, sums),
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
  }
  for (let k = -reach; k <= reach; k++) {
    sums[3] += a.x[s + k];
    sums[4] += a.z[s + k];
    sums[5] += b.x[t + k];
    sums[6] += b.z[t + k];
    sums[7] += a.squares[s + k] + b.squares[t + k];
  }
  return aligned(2 * reach + 1, sums);
}

/** Of every sample the sum over the window around it of what one performance alone brings: `x`, `z` and the squares. */
function windowSums({ count, x, z, squares }: Rows, reach: number, from: number, to: number): Float64Array {
  const sums = new Float64Array(3 * count);
  for (let s = Math.max(from, reach); s < Math.min(to, count - reach); s++)
    for (let k = s - reach; k <= s + reach; k++) {
      sums[3 * s] += x[k];
      sums[3 * s + 1] += z[k];
      sums[3 * s + 2] += squares[k];
    }
  return sums;
}

const TILE = 16;

/**
 * Distances of the windows around samples `from` to `to` (not included) of the lower performance and around every sample of
 * the upper one: row after row, `b.count` numbers each, infinite where a window does not fit in.
 */
export function distanceRows(a: Rows, b: Rows, reach: number, from: number, to: number): Float32Array {
  const out = new Float32Array((to - from) * b.count).fill(Number.POSITIVE_INFINITY);
  const first = Math.max(0, from - reach);
  const last = Math.min(a.count, to + reach);
  const pairs = new Float64Array(3 * (last - first) * b.count);
  // A few samples of the upper performance at a time, which stay in the processor's cache for all of the lower one.
  for (let tile = 0; tile < b.count; tile += TILE)
    for (let s = first; s < last; s++)
      for (let t = tile; t < Math.min(b.count, tile + TILE); t++)
        pairSums(a, s, b, t, pairs, 3 * ((s - first) * b.count + t));
  const below = windowSums(a, reach, from, to);
  const above = windowSums(b, reach, 0, b.count);
  const sums = new Float64Array(8);
  const along = 3 * (b.count + 1);
  for (let s = Math.max(from, reach); s < Math.min(to, a.count - reach); s++)
    for (let t = reach; t < b.count - reach; t++) {
      let o = 3 * ((s - reach - first) * b.count + t - reach);
      let p = 0;
      let q = 0;
      let r = 0;
      for (let k = -reach; k <= reach; k++, o += along) {
        p += pairs[o];
        q += pairs[o + 1];
        r += pairs[o + 2];
      }
      sums[0] = p;
      sums[1] = q;
      sums[2] = r;
      sums[3] = below[3 * s];
      sums[4] = below[3 * s + 1];
      sums[5] = above[3 * t];
      sums[6] = above[3 * t + 1];
      sums[7] = below[3 * s + 2] + above[3 * t + 2];
      out[(s - from) * b.count + t] = distanceOf(2 * reach + 1, sums);
    }
  return out;
}
