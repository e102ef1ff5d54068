import { normalize, slerp } from '../math/quaternion.js';

/**
 * A piecewise cubic in Hermite form, or a polyline, through numbers at whole steps 0 … `count - 1`: a value and a slope (per step) at each
 * knot. Between two knots `h` steps apart, `u` of the way, it is
 * `v0·(1 - 3u² + 2u³) + v1·(3u² - 2u³) + h·m0·u(1 - u)² + h·m1·u²(u - 1)`.
 */
export interface Spline {
  /** Numbers a value. */
  readonly size: number;
  /** Steps at which the knots stand, ascending, the first 0 and the last `count - 1`. */
  readonly knots: Int32Array;
  /** `size` numbers a knot. */
  readonly values: Float64Array;
  /** Slopes with which a knot is met and left. */
  readonly into: Float64Array;
  readonly out: Float64Array;
  /** Whether knots are joined straight instead, quaternions by slerp: then slopes say nothing. */
  readonly straight: boolean;
}

/** Writes the numbers between two values that stand at `from` and `to` of `out`, straight, or of quaternions by slerp. */
export function writeLine(
  size: number,
  values: Float64Array,
  va: number,
  vb: number,
  out: Float64Array,
  from: number,
  to: number,
): void {
  const h = to - from;
  for (let s = 1; s < h; s++) {
    const u = s / h;
    const o = (from + s) * size;
    if (size === 4) slerp(out, o, values, va * 4, values, vb * 4, u);
    else
      for (let c = 0; c < size; c++) out[o + c] = (1 - u) * values[va * size + c] + u * values[vb * size + c];
  }
}

/** Marks of steps: a knot there keeps the value of its sample; a knot there may be a corner. */
export const PINNED = 1;
export const CORNER = 2;

/**
 * Steps up to which a segment is also held to the straight line between its samples: a longer one has samples enough to keep
 * it from swinging between them. Parts of a step at which that is, and how much each counts against one sample.
 */
const SHORT = 4;
const BETWEEN = [0.2, 0.4, 0.6, 0.8];
const BETWEEN_WEIGHT = 0.05;

/** How much a slope is drawn to that of the samples beside it, so that knots without samples between them have one. */
const SLOPE_WEIGHT = 1e-3;
/** How much the slopes on both sides of a knot that is no corner are drawn to each other: where samples are noisy they part. */
const JOIN_WEIGHT = 0.003;
/** How much a pinned value counts against one sample. */
const PIN_WEIGHT = 1e7;
/** How far apart unknowns that meet in an equation stand, and one: from a value to the value, or the slope, of the next knot. */
const BAND = 4;
/** Unknowns of which there is room behind the last, so that each meets as many. */
const BEYOND = BAND - 1;

/**
 * Fits a spline with given knots to samples by least squares (the normal equations are banded and solved by Cholesky's
 * decomposition: Golub and Van Loan, *Matrix Computations*, 4.3). `marks` has {@link PINNED} and {@link CORNER} for each step;
 * at a knot that is no corner both slopes are drawn to each other.
 */
export function fitSpline(samples: Float64Array, size: number, knots: Int32Array, marks: Uint8Array): Spline {
  const K = knots.length;
  const count = samples.length / size;
  const values = new Float64Array(size * K);
  const into = new Float64Array(size * K);
  const out = new Float64Array(size * K);
  // Where the unknowns of each knot begin: slope in (but at the ends), value, slope out.
  const first = new Int32Array(K + 1);
  const inner = (k: number) => k > 0 && k < K - 1;
  for (let k = 0; k < K; k++) first[k + 1] = first[k] + (inner(k) ? 3 : 2);
  const n = first[K];
  const band = new Float64Array((n + BEYOND) * BAND);
  const right = new Float64Array((n + BEYOND) * size);
  const valueAt = (k: number) => first[k + 1] - 2;
  const outAt = (k: number) => first[k + 1] - 1;
  const intoAt = (k: number) => (inner(k) ? first[k] : first[k + 1] - 1);

  const places = new Int32Array(4);
  const meets = new Int32Array(10);
  for (let k = 0; k < K; k++) {
    const at = knots[k];
    const weight = (marks[at] & PINNED) !== 0 ? PIN_WEIGHT : 1;
    const v = valueAt(k);
    band[v * BAND] += weight;
    for (let c = 0; c < size; c++) right[v * size + c] += weight * samples[at * size + c];
    drawSlope(
      band,
      right,
      outAt(k),
      samples,
      size,
      inner(k) ? at : Math.max(0, at - 1),
      Math.min(count - 1, at + 1),
    );
    if (inner(k)) {
      drawSlope(band, right, intoAt(k), samples, size, at - 1, at);
      if ((marks[at] & CORNER) === 0) {
        band[intoAt(k) * BAND] += JOIN_WEIGHT;
        band[outAt(k) * BAND] += JOIN_WEIGHT;
        band[intoAt(k) * BAND + 2] -= JOIN_WEIGHT;
      }
    }
    if (k + 1 === K) break;
    const h = knots[k + 1] - at;
    places[0] = v;
    places[1] = outAt(k);
    places[2] = intoAt(k + 1);
    places[3] = valueAt(k + 1);
    // Where in the band the unknowns of the segment meet.
    for (let a = 0, i = 0; a < 4; a++)
      for (let b = 0; b <= a; b++, i++)
        meets[i] = Math.min(places[a], places[b]) * BAND + Math.abs(places[a] - places[b]);
    const { pulls, products } = basesOf(h);
    for (let i = 0; i < 10; i++) band[meets[i]] += products[i];
    for (let c = 0; c < size; c++) {
      let leaves = 0;
      let leaving = 0;
      let meeting = 0;
      let met = 0;
      for (let s = 0, r = 0; s <= h; s++, r += 4) {
        const value = samples[(at + s) * size + c];
        leaves += pulls[r] * value;
        leaving += pulls[r + 1] * value;
        meeting += pulls[r + 2] * value;
        met += pulls[r + 3] * value;
      }
      right[places[0] * size + c] += leaves;
      right[places[1] * size + c] += leaving;
      right[places[2] * size + c] += meeting;
      right[places[3] * size + c] += met;
    }
  }
  solveBanded(band, right, n, size);
  for (let k = 0; k < K; k++) {
    const pinned = (marks[knots[k]] & PINNED) !== 0;
    for (let c = 0; c < size; c++) {
      values[k * size + c] = pinned ? samples[knots[k] * size + c] : right[valueAt(k) * size + c];
      into[k * size + c] = right[intoAt(k) * size + c];
      out[k * size + c] = right[outAt(k) * size + c];
    }
    if (size === 4 && !pinned) unitAt(values, into, out, k);
  }
  return { size, knots, values, into, out, straight: false };
}

/** The four polynomials of a segment of `h` steps, `u` of the way: of the value and the slope it leaves, and the slope and the value it meets. */
function writeBasis(u: number, h: number, basis: Float64Array, o: number): void {
  const r = 1 - u;
  basis[o] = r * r * (1 + 2 * u);
  basis[o + 1] = h * u * r * r;
  basis[o + 2] = -h * u * u * r;
  basis[o + 3] = u * u * (3 - 2 * u);
}

/** What the equations of a segment of `h` steps have in common, whatever is fitted. */
interface Bases {
  /** The polynomials at the samples inside it, 4 numbers each. */
  readonly rows: Float64Array;
  /** The sums of their products, `(a, b ≤ a)` in rows, over all places at which the segment is held. */
  readonly products: Float64Array;
  /** By how much each sample from the first to the last pulls at the four unknowns. */
  readonly pulls: Float64Array;
}

/** They depend on the length of a segment alone, and segments are short: each is worked out once. */
const LONGEST_KEPT = 512;
const bases: (Bases | undefined)[] = new Array(LONGEST_KEPT + 1).fill(undefined);

function basesOf(h: number): Bases {
  const known = bases[h];
  if (known) return known;
  const rows = new Float64Array(4 * Math.max(0, h - 1));
  const products = new Float64Array(10);
  const pulls = new Float64Array(4 * (h + 1));
  const basis = new Float64Array(4);
  const hold = (weight: number) => {
    for (let a = 0, i = 0; a < 4; a++)
      for (let b = 0; b <= a; b++, i++) products[i] += weight * basis[a] * basis[b];
  };
  for (let s = 1; s < h; s++) {
    writeBasis(s / h, h, basis, 0);
    hold(1);
    rows.set(basis, 4 * (s - 1));
    pulls.set(basis, 4 * s);
  }
  for (let s = 0; s < h && h <= SHORT; s++)
    for (const part of BETWEEN) {
      writeBasis((s + part) / h, h, basis, 0);
      hold(BETWEEN_WEIGHT);
      for (let a = 0; a < 4; a++) {
        pulls[4 * s + a] += BETWEEN_WEIGHT * basis[a] * (1 - part);
        pulls[4 * (s + 1) + a] += BETWEEN_WEIGHT * basis[a] * part;
      }
    }
  const made = { rows, products, pulls };
  if (h <= LONGEST_KEPT) bases[h] = made;
  return made;
}

/** Gives the quaternion at a knot length 1; its slopes come along, so that it turns there as it did. */
function unitAt(values: Float64Array, into: Float64Array, out: Float64Array, k: number): void {
  const [x, y, z, w] = [values[4 * k], values[4 * k + 1], values[4 * k + 2], values[4 * k + 3]];
  const length = Math.sqrt(x * x + y * y + z * z + w * w);
  for (let i = 4 * k; i < 4 * k + 4; i++) {
    values[i] /= length;
    into[i] /= length;
    out[i] /= length;
  }
}

/**
 * Fits a polyline with given knots to samples by least squares; pinned knots keep the value of their sample. Values of four
 * numbers are quaternions and get length 1.
 */
export function fitLines(samples: Float64Array, size: number, knots: Int32Array, marks: Uint8Array): Spline {
  const K = knots.length;
  const band = new Float64Array((K + BEYOND) * BAND);
  const right = new Float64Array((K + BEYOND) * size);
  for (let k = 0; k < K; k++) {
    const at = knots[k];
    const weight = (marks[at] & PINNED) !== 0 ? PIN_WEIGHT : 1;
    band[k * BAND] += weight;
    for (let c = 0; c < size; c++) right[k * size + c] += weight * samples[at * size + c];
    if (k + 1 === K) break;
    const h = knots[k + 1] - at;
    for (let s = 1; s < h; s++) {
      const u = s / h;
      band[k * BAND] += (1 - u) * (1 - u);
      band[k * BAND + 1] += (1 - u) * u;
      band[(k + 1) * BAND] += u * u;
      for (let c = 0; c < size; c++) {
        const value = samples[(at + s) * size + c];
        right[k * size + c] += (1 - u) * value;
        right[(k + 1) * size + c] += u * value;
      }
    }
  }
  solveBanded(band, right, K, size);
  const values = right.slice(0, K * size);
  for (let k = 0; k < K; k++) {
    if ((marks[knots[k]] & PINNED) !== 0)
      values.set(samples.subarray(size * knots[k], size * (knots[k] + 1)), size * k);
    else if (size === 4) normalize(values, 4 * k);
  }
  const none = new Float64Array(values.length);
  return { size, knots, values, into: none, out: none, straight: true };
}

/** Draws an unknown slope to that of the samples from one step to another. */
function drawSlope(
  band: Float64Array,
  right: Float64Array,
  unknown: number,
  samples: Float64Array,
  size: number,
  from: number,
  to: number,
): void {
  band[unknown * BAND] += SLOPE_WEIGHT;
  if (to === from) return;
  for (let c = 0; c < size; c++)
    right[unknown * size + c] +=
      (SLOPE_WEIGHT * (samples[to * size + c] - samples[from * size + c])) / (to - from);
}

/**
 * Solves a symmetric positive definite system in place: entry `(i, i + d)` of the matrix is `band[i · BAND + d]`, and each
 * unknown has `size` right sides, which become the solution. Both have room for {@link BEYOND} unknowns more, which are 0.
 */
function solveBanded(band: Float64Array, right: Float64Array, n: number, size: number): void {
  // LDLᵀ: row i holds its diagonal d and the entries of L below it.
  for (let i = 0; i < n; i++) {
    const o = i * BAND;
    const d = band[o];
    const b1 = band[o + 1];
    const b2 = band[o + 2];
    const b3 = band[o + 3];
    const r = i * size;
    if (b1 !== 0) {
      const factor = b1 / d;
      band[o + BAND] -= factor * b1;
      band[o + BAND + 1] -= factor * b2;
      band[o + BAND + 2] -= factor * b3;
      for (let c = r; c < r + size; c++) right[c + size] -= factor * right[c];
    }
    if (b2 !== 0) {
      const factor = b2 / d;
      band[o + 2 * BAND] -= factor * b2;
      band[o + 2 * BAND + 1] -= factor * b3;
      for (let c = r; c < r + size; c++) right[c + 2 * size] -= factor * right[c];
    }
    if (b3 !== 0) {
      const factor = b3 / d;
      band[o + 3 * BAND] -= factor * b3;
      for (let c = r; c < r + size; c++) right[c + 3 * size] -= factor * right[c];
    }
  }
  for (let i = n - 1; i >= 0; i--) {
    const o = i * BAND;
    const d = band[o];
    const b1 = band[o + 1];
    const b2 = band[o + 2];
    const b3 = band[o + 3];
    const r = i * size;
    for (let c = r; c < r + size; c++)
      right[c] = (right[c] - b1 * right[c + size] - b2 * right[c + 2 * size] - b3 * right[c + 3 * size]) / d;
  }
}

/** Writes the values of a spline a part of a step behind every step but the last. */
export function writeBetween(
  { size, knots, values, into, out, straight }: Spline,
  part: number,
  to: Float64Array,
): void {
  for (let k = 0; k + 1 < knots.length; k++) {
    const at = knots[k];
    const h = knots[k + 1] - at;
    for (let s = 0; s < h; s++) {
      const u = (s + part) / h;
      const o = (at + s) * size;
      if (straight && size === 4) {
        slerp(to, o, values, 4 * k, values, 4 * k + 4, u);
        continue;
      }
      const r = 1 - u;
      const h01 = straight ? u : u * u * (3 - 2 * u);
      const h10 = straight ? 0 : h * u * r * r;
      const h11 = straight ? 0 : -h * u * u * r;
      for (let c = 0; c < size; c++)
        to[o + c] =
          (1 - h01) * values[k * size + c] +
          h10 * out[k * size + c] +
          h11 * into[(k + 1) * size + c] +
          h01 * values[(k + 1) * size + c];
    }
  }
  const last = knots.length - 1;
  for (let i = knots[last] * size; i < to.length; i++) to[i] = values[last * size + (i % size)];
}

/** Writes the values of a spline at every step; the last knot holds. */
export function writeSpline({ size, knots, values, into, out, straight }: Spline, to: Float64Array): void {
  for (let k = 0; k < knots.length; k++) {
    const at = knots[k];
    if (k + 1 === knots.length) {
      for (let i = at * size; i < to.length; i++) to[i] = values[k * size + (i % size)];
      return;
    }
    for (let c = 0; c < size; c++) to[at * size + c] = values[k * size + c];
    if (straight) {
      writeLine(size, values, k, k + 1, to, at, knots[k + 1]);
      continue;
    }
    const h = knots[k + 1] - at;
    const { rows } = basesOf(h);
    for (let c = 0; c < size; c++) {
      const o = k * size + c;
      const leaves = values[o];
      const leaving = out[o];
      const meeting = into[o + size];
      const met = values[o + size];
      for (let s = 1, r = 0; s < h; s++, r += 4)
        to[(at + s) * size + c] =
          rows[r] * leaves + rows[r + 1] * leaving + rows[r + 2] * meeting + rows[r + 3] * met;
    }
  }
}

/** The same spline with knots at more samples, ascending, with those that it has among them; outside its own the end value holds. */
export function withKnots(spline: Spline, knots: Int32Array): Spline {
  const { size, straight, knots: own, values, into, out } = spline;
  const made = {
    size,
    straight,
    knots,
    values: new Float64Array(size * knots.length),
    into: new Float64Array(size * knots.length),
    out: new Float64Array(size * knots.length),
  };
  const last = own.length - 1;
  let k = 0;
  for (const [i, at] of knots.entries()) {
    while (k < last && own[k + 1] <= at) k++;
    const o = size * i;
    if (at === own[k] || k === last || at < own[0]) {
      for (let c = 0; c < size; c++) {
        made.values[o + c] = values[size * k + c];
        made.into[o + c] = at === own[k] ? into[size * k + c] : 0;
        made.out[o + c] = at === own[k] && k < last ? out[size * k + c] : 0;
      }
      continue;
    }
    const h = own[k + 1] - own[k];
    const u = (at - own[k]) / h;
    for (let c = 0; c < size; c++) {
      const [v0, v1] = [values[size * k + c], values[size * (k + 1) + c]];
      const [m0, m1] = [out[size * k + c], into[size * (k + 1) + c]];
      const r = 1 - u;
      made.values[o + c] = straight
        ? r * v0 + u * v1
        : r * r * (1 + 2 * u) * v0 + h * u * r * r * m0 + u * u * (3 - 2 * u) * v1 - h * u * u * r * m1;
      const slope = straight
        ? 0
        : (6 * u * r * (v1 - v0)) / h + (3 * u * u - 4 * u + 1) * m0 + (3 * u * u - 2 * u) * m1;
      made.into[o + c] = slope;
      made.out[o + c] = slope;
    }
  }
  return made;
}
