import { type KeyTrack, TRACK_KINDS, tracksOf } from '../keys/tracks.js';
import { symmetricEigen } from '../math/eigen.js';
import type { Parts } from '../rig/parts.js';
import { rigHeight } from '../rig/pose.js';
import { characterOf, type Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

/** One number of a pose change: a channel of a joint, in radians or units of the rig. */
export interface ChangedNumber {
  readonly track: Pick<KeyTrack, 'joint' | 'kind'>;
  /** 0 to 2: x, y or z. */
  readonly axis: number;
  readonly value: number;
}

/** A pose change of a part of the body, times a number over time: what it adds to the differences of two motions. */
export interface Component {
  readonly part: string;
  /** The change where the number is 1. */
  readonly pose: readonly ChangedNumber[];
  /** A number for each sample; the largest in size is 1. */
  readonly weights: Float64Array;
  /** The part of all differences, as sums of squares, that it explains. */
  readonly share: number;
  /** The singular value of the differences of its part, in radians. */
  readonly singular: number;
}

/** Differences of this size over a whole track, in radians, are rounding. */
const NONE = 1e-7;

/**
 * The components of the differences of two motions on one rig, the strongest first: for each part of the body the singular
 * vectors of its rotation differences over time (Golub and Van Loan, *Matrix Computations*, 2.4), by the eigenvectors of their
 * products. Lengths count as the angle that moves a point at half the height as far. All components together are the
 * differences of each joint's angles and places.
 */
export function componentsOf(rig: Rig, parts: Parts, original: Samples, finished: Samples): Component[] {
  const body = characterOf(rig).joints.length;
  const names = Array.from({ length: body }, (_, joint) =>
    TRACK_KINDS.flatMap((kind) => (kind === 'scales' ? [] : [{ joint, kind }])),
  ).flat();
  const tracks = tracksOf(rig, finished, 'euler', names, original);
  const reach = 1 / (rigHeight(rig) / 2 || 1);
  const byPart = new Map<string, KeyTrack[]>();
  for (const track of tracks) {
    const part = parts[track.joint];
    byPart.set(part, [...(byPart.get(part) ?? []), track]);
  }
  let all = 0;
  const found: (Component & { readonly squares: number })[] = [];
  for (const [part, own] of byPart) {
    const columns = own.flatMap((track) => columnsOf(track, track.kind === 'translations' ? reach : 1));
    if (columns.length === 0) continue;
    for (const { numbers } of columns) for (const value of numbers) all += value * value;
    found.push(...componentsOfPart(part, columns, finished.count));
  }
  return found
    .map(({ squares, ...component }) => ({ ...component, share: squares / all }))
    .sort((a, b) => b.share - a.share);
}

/** A number of the differences over time, scaled to count as an angle. */
interface Column {
  readonly track: KeyTrack;
  readonly axis: number;
  readonly scale: number;
  readonly numbers: Float64Array;
}

function columnsOf(track: KeyTrack, scale: number): Column[] {
  return [0, 1, 2].flatMap((axis): Column[] => {
    const numbers = new Float64Array(track.values.length / 3);
    let most = 0;
    for (let s = 0; s < numbers.length; s++) {
      numbers[s] = track.values[3 * s + axis] * scale;
      most = Math.max(most, Math.abs(numbers[s]));
    }
    return most > NONE ? [{ track, axis, scale, numbers }] : [];
  });
}

function componentsOfPart(part: string, columns: readonly Column[], count: number) {
  const n = columns.length;
  const products = new Float64Array(n * n);
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let sum = 0;
      const [a, b] = [columns[i].numbers, columns[j].numbers];
      for (let s = 0; s < count; s++) sum += a[s] * b[s];
      products[i * n + j] = sum;
      products[j * n + i] = sum;
    }
  const { values, vectors } = symmetricEigen(products, n);
  return Array.from({ length: n }, (_, k) => k).flatMap((k) => {
    if (!(values[k] > NONE * NONE * count)) return [];
    const weights = new Float64Array(count);
    for (let i = 0; i < n; i++)
      for (let s = 0; s < count; s++) weights[s] += columns[i].numbers[s] * vectors[k * n + i];
    let peak = 0;
    for (const weight of weights) if (Math.abs(weight) > Math.abs(peak)) peak = weight;
    for (let s = 0; s < count; s++) weights[s] /= peak;
    const pose = columns.map(
      ({ track: { joint, kind }, axis, scale }, i): ChangedNumber => ({
        track: { joint, kind },
        axis,
        value: (vectors[k * n + i] * peak) / scale,
      }),
    );
    return [{ part, pose, weights, share: 0, squares: values[k], singular: Math.sqrt(values[k]) }];
  });
}
