import { type KeyTrack, tracksOf, tracksOfRig } from '../keys/tracks.js';
import { symmetricEigen } from '../math/eigen.js';
import type { Parts } from '../rig/parts.js';
import { rigHeight } from '../rig/pose.js';
import { characterOf, type Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { unmixed } from './unmix.js';

/** One number of a pose change: a channel of a joint, in radians or units of the rig, or a face channel. */
export interface ChangedNumber {
  readonly track: Pick<KeyTrack, 'member' | 'kind'>;
  /** 0 to 2: x, y or z. */
  readonly axis: number;
  readonly value: number;
}

/** A pose change of a part of the body, times a number over time: what it adds to the differences of two motions. */
export interface Component {
  /** The parts of the body that it moves, the one that it moves most first. */
  readonly parts: readonly string[];
  /** The change where the number is 1. */
  readonly pose: readonly ChangedNumber[];
  /** A number for each sample; the largest in size is 1. */
  readonly weights: Float64Array;
  /** The part of all differences, as sums of squares, that it explains. */
  readonly share: number;
  /** The root of the sum of its squares, in radians: where no others overlap it, a singular value of the differences. */
  readonly singular: number;
}

/**
 * Components of a part of the body that explain so much of its differences may be layers that overlap. What is left is what
 * turns put on turns differ by from their sum.
 */
const STRONG = 0.97;

/** Differences of this size over a whole track, in radians, are rounding. */
const NONE = 1e-7;

/**
 * The components of the differences of two motions on one rig, the strongest first: for each part of the body the singular
 * vectors of its rotation differences over time (Golub and Van Loan, *Matrix Computations*, 2.4), by the eigenvectors of their
 * products. Strong ones that overlap in time are told apart where that can be ({@link unmixed}); those of several parts that
 * go by one weight are one. Lengths count as the angle that moves a point at half the height as far. All components together
 * are the differences of each joint's angles and places.
 */
export function componentsOf(rig: Rig, parts: Parts, original: Samples, finished: Samples): Component[] {
  const body = characterOf(rig).joints.length;
  const names = tracksOfRig(rig).filter(
    ({ member, kind }) => kind === 'faces' || (member < body && kind !== 'scales'),
  );
  const tracks = tracksOf(rig, finished, 'euler', names, original);
  const reach = 1 / (rigHeight(rig) / 2 || 1);
  const byPart = new Map<string, KeyTrack[]>();
  for (const track of tracks) {
    const part = parts[track.member];
    byPart.set(part, [...(byPart.get(part) ?? []), track]);
  }
  let all = 0;
  const found: Found[] = [];
  for (const [part, own] of byPart) {
    const columns = own.flatMap((track) => columnsOf(track, track.kind === 'translations' ? reach : 1));
    if (columns.length === 0) continue;
    for (const { numbers } of columns) for (const value of numbers) all += value * value;
    found.push(...componentsOfPart(part, columns, finished.count));
  }
  return together(found)
    .map(({ squares, ...component }) => ({ ...component, share: squares / all }))
    .sort((a, b) => b.share - a.share);
}

/** A component with the sum of its squares. */
type Found = Component & { readonly squares: number };

/** Cosine between two weights over time from which on they are one. */
const ONE_WEIGHT = 0.995;

/** Components of several parts that go by one weight, as one. */
function together(found: readonly Found[]): Found[] {
  const out: Found[] = [];
  for (const one of [...found].sort((a, b) => b.squares - a.squares)) {
    const k = out.findIndex(
      (other) =>
        !other.parts.some((part) => one.parts.includes(part)) &&
        alike(one.weights, other.weights) > ONE_WEIGHT,
    );
    if (k < 0) {
      out.push(one);
      continue;
    }
    const other = out[k];
    const squares = one.squares + other.squares;
    out[k] = {
      ...other,
      parts: [...other.parts, ...one.parts],
      pose: [...other.pose, ...one.pose],
      weights: other.weights.map(
        (value, s) => (other.squares * value + one.squares * one.weights[s]) / squares,
      ),
      squares,
      singular: Math.sqrt(squares),
    };
  }
  return out;
}

/** The cosine between two rows of numbers. */
function alike(a: Float64Array, b: Float64Array): number {
  let [ab, aa, bb] = [0, 0, 0];
  for (let s = 0; s < a.length; s++) {
    ab += a[s] * b[s];
    aa += a[s] * a[s];
    bb += b[s] * b[s];
  }
  return ab / Math.sqrt(aa * bb || 1);
}

/** A number of the differences over time, scaled to count as an angle. */
interface Column {
  readonly track: KeyTrack;
  readonly axis: number;
  readonly scale: number;
  readonly numbers: Float64Array;
}

function columnsOf(track: KeyTrack, scale: number): Column[] {
  const { size } = track;
  return Array.from({ length: size }, (_, axis) => axis).flatMap((axis): Column[] => {
    const numbers = new Float64Array(track.values.length / size);
    let most = 0;
    for (let s = 0; s < numbers.length; s++) {
      numbers[s] = track.values[size * s + axis] * scale;
      most = Math.max(most, Math.abs(numbers[s]));
    }
    return most > NONE ? [{ track, axis, scale, numbers }] : [];
  });
}

function componentsOfPart(part: string, columns: readonly Column[], count: number): Found[] {
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
  const kept = Array.from({ length: n }, (_, k) => k).filter((k) => values[k] > NONE * NONE * count);
  const whole = kept.reduce((sum, k) => sum + values[k], 0);
  let explained = 0;
  const strong = kept.filter((k) => {
    const needed = explained < STRONG * whole;
    explained += values[k];
    return needed;
  });
  const over = kept.map((k) => {
    const numbers = new Float64Array(count);
    for (let i = 0; i < n; i++)
      for (let s = 0; s < count; s++) numbers[s] += columns[i].numbers[s] * vectors[k * n + i];
    return numbers;
  });
  /** A component of a direction among the columns and its numbers over time. */
  const component = (direction: (i: number) => number, numbers: Float64Array, squares: number): Found => {
    let peak = 0;
    for (const value of numbers) if (Math.abs(value) > Math.abs(peak)) peak = value;
    const pose = columns.map(
      ({ track: { member, kind }, axis, scale }, i): ChangedNumber => ({
        track: { member, kind },
        axis,
        value: (direction(i) * peak) / scale,
      }),
    );
    const weights = numbers.map((value) => value / peak);
    return { parts: [part], pose, weights, share: 0, squares, singular: Math.sqrt(squares) };
  };
  const plain = (k: number) => component((i) => vectors[kept[k] * n + i], over[k], values[kept[k]]);
  const rows = Array.from({ length: count }, (_, s) => Float64Array.from(strong, (_, k) => over[k][s]));
  const apart = strong.length > 1 ? unmixed(rows, strong.length) : undefined;
  if (!apart) return kept.map((_, k) => plain(k));
  // What overlaps is not at right angles: the squares of all of them are shared out by their own.
  const own = apart.directions.map(
    (direction, k) =>
      direction.reduce((sum, value) => sum + value * value, 0) *
      apart.weights[k].reduce((sum, value) => sum + value * value, 0),
  );
  const sum = own.reduce((total, one) => total + one, 0);
  const squares = strong.reduce((total, k) => total + values[k], 0);
  return [
    ...apart.directions.map((direction, d) =>
      component(
        (i) => direction.reduce((total, value, k) => total + value * vectors[strong[k] * n + i], 0),
        apart.weights[d],
        (squares * own[d]) / sum,
      ),
    ),
    ...kept.flatMap((_, k) => (k < strong.length ? [] : [plain(k)])),
  ];
}
