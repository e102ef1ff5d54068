import { distanceRows, type Rows } from './distance.js';
import type { Performance } from './performance.js';

/** A pair of samples, of the lower and of the upper performance, and how far the windows around them are apart. */
export interface Place {
  readonly s: number;
  readonly t: number;
  readonly distance: number;
}

/**
 * Distances around samples `from` to `to` (not included) of the lower performance and every sample of the upper one, with
 * one row more on both sides where there is one: `first` is the sample of the first row.
 */
export interface MapRows {
  readonly first: number;
  readonly distances: Float32Array;
}

export function mapRows(rows: readonly [Rows, Rows], reach: number, from: number, to: number): MapRows {
  const first = Math.max(0, from - 1);
  return { first, distances: distanceRows(...rows, reach, first, Math.min(rows[0].count, to + 1)) };
}

/**
 * Where distances are lowest among samples `from` to `to` (not included) of the lower performance. Of the upper one only its
 * own samples are looked at: what a loop goes on with is the same again.
 */
export function lowestIn(
  { first, distances }: MapRows,
  { count: width, own }: Pick<Performance, 'count' | 'own'>,
  from: number,
  to: number,
): Place[] {
  const height = distances.length / width;
  const found: Place[] = [];
  for (let s = from; s < to; s++)
    for (let t = own[0]; t < own[1]; t++) {
      const distance = distances[(s - first) * width + t];
      if (Number.isFinite(distance) && isLowest(distances, width, height, s - first, t))
        found.push({ s, t, distance });
    }
  return found;
}

function isLowest(map: Float32Array, width: number, height: number, s: number, t: number): boolean {
  const own = map[s * width + t];
  for (let ds = -1; ds <= 1; ds++)
    for (let dt = -1; dt <= 1; dt++) {
      const [u, v] = [s + ds, t + dt];
      if (u < 0 || v < 0 || u >= height || v >= width) continue;
      if (map[u * width + v] < own) return false;
    }
  return true;
}

/** The lowest of some places, the lowest first, no two nearer to each other than `apart` in both performances. */
export function lowestApart(places: readonly Place[], apart: number, most: number): Place[] {
  const kept: Place[] = [];
  for (const place of [...places].sort((a, b) => a.distance - b.distance)) {
    if (kept.length >= most) break;
    // Along a diagonal it is the same crossing a little later.
    const same = ({ s, t }: Place) => Math.abs(s - place.s) < apart && Math.abs(t - place.t) < apart;
    if (!kept.some(same)) kept.push(place);
  }
  return kept;
}
