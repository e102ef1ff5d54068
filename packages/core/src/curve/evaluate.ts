import type { Numbers } from '../math/numbers.js';
import { type Curve, FRAME_TOLERANCE, type Key, type Scalar } from './curve.js';

/**
 * The frames of a curve's keys, ascending. Curves that are keyed together share one grid, and the search for
 * the segment of a frame is done once for all of them.
 */
export type Grid = Float64Array;

/**
 * Curves as polynomials, a row of four numbers a key: `x` frames after the key the value is
 * `v + x · (a + x · (b + x · c))`. The row of a curve's last key holds only its value.
 *
 * ```
 * rows      v a b c | v a b c | ...
 * handles   5 numbers for each row, if any segment is `bezier`; such a row has `a` not a number
 * ```
 *
 * The handles of a segment are out handle and in handle as points relative to its key, and its rise.
 */
export interface CurveRows {
  readonly rows: Float64Array;
  readonly handles: Float64Array | undefined;
}

/** A curve made ready for evaluation. */
export interface CompiledCurve extends CurveRows {
  readonly grid: Grid;
}

/** Numbers of a row. */
export const ROW = 4;
const HANDLES = 5;
/** Parts of a segment by which handles may miss its thirds for time to run evenly. */
const EVEN = 1e-12;

/**
 * Slope of a smooth curve at a key between two segments, value a frame: 0 at a turn, otherwise the slope of
 * the chord, limited so that the curve stays monotone (Fritsch and Carlson 1980, sufficient condition).
 */
export function automaticSlope(riseBefore: number, before: number, riseAfter: number, after: number): number {
  if (riseBefore * riseAfter <= 0) return 0;
  const slope = (riseBefore + riseAfter) / (before + after);
  const limit = 3 * Math.min(Math.abs(riseBefore / before), Math.abs(riseAfter / after));
  return Math.sign(slope) * Math.min(Math.abs(slope), limit);
}

/** A cycle that a looped curve repeats: from `start`, `length` frames long. */
export interface Period {
  readonly start: number;
  readonly length: number;
}

/**
 * Keys that are read: those from `from` up to, and not with, `to`. The ones beside them count for the slopes at the
 * ends alone.
 */
export interface Knots {
  readonly keys: readonly Key[];
  readonly from: number;
  readonly to: number;
}

/** The keys of a curve that are read, with `period` those of one cycle; undefined where no key lies in the cycle. */
export function knotsOf({ keys }: Curve, period?: Period): Knots | undefined {
  return period ? periodicKnots(keys, period) : { keys, from: 0, to: keys.length };
}

/**
 * Keys of one cycle of a looped curve with what stands around it, to be read within the cycle. Keys outside the
 * cycle are not used. With a key at both ends the curve runs from the one to the other and starts over;
 * otherwise the keys go on with the cycle's length on both sides. Undefined where the cycle holds no key.
 */
function periodicKnots(keys: readonly Key[], { start, length }: Period): Knots | undefined {
  const end = start + length;
  const used = keys.filter(
    (key) => key.frame >= start - FRAME_TOLERANCE && key.frame <= end + FRAME_TOLERANCE,
  );
  if (used.length === 0) return undefined;
  const shifted = (key: Key, by: number): Key => ({ ...key, frame: key.frame + by });
  const first = used[0];
  const last = used[used.length - 1];
  const closed =
    used.length > 1 &&
    Math.abs(first.frame - start) <= FRAME_TOLERANCE &&
    Math.abs(last.frame - end) <= FRAME_TOLERANCE;
  if (closed) {
    // The rise of the neighbouring segment counts, not its values: they may jump at the seam.
    const level = last.value - first.value;
    const ahead = { ...shifted(used[1], length), value: used[1].value + level };
    const before = used[used.length - 2];
    const behind = { ...shifted(before, -length), value: before.value - level };
    return { keys: [behind, ...used, ahead], from: 1, to: used.length + 1 };
  }
  const around = [-length, 0, length].flatMap((by) => used.map((key) => shifted(key, by)));
  const from = around.findLastIndex((key) => key.frame <= start + FRAME_TOLERANCE);
  const to = around.findIndex((key) => key.frame >= end - FRAME_TOLERANCE);
  return { keys: around, from, to: to + 1 };
}

/** The automatic slope at a key, of values that are scaled; 0 at the first and the last of all. */
export function slopeAt(keys: readonly Key[], i: number, scale: number): number {
  if (i === 0 || i + 1 === keys.length) return 0;
  const [last, key, next] = [keys[i - 1], keys[i], keys[i + 1]];
  return automaticSlope(
    (key.value - last.value) * scale,
    key.frame - last.frame,
    (next.value - key.value) * scale,
    next.frame - key.frame,
  );
}

export const hasBezier = ({ keys, from, to }: Knots): boolean => {
  for (let i = from; i < to; i++) if (keys[i].ease === 'bezier') return true;
  return false;
};

/**
 * Writes keys as rows of polynomials from row `first` on, and their handles where there is room for them; `scale`
 * multiplies every value.
 */
export function writeRows(
  { keys, from, to }: Knots,
  scale: number,
  rows: Float64Array,
  handles: Float64Array | undefined,
  first: number,
): void {
  let m1 = slopeAt(keys, from, scale);
  for (let i = from; i < to; i++) {
    const key = keys[i];
    const value = key.value * scale;
    const row = ROW * (first + i - from);
    rows[row] = value;
    if (i + 1 === to) break;
    const next = keys[i + 1];
    const h = next.frame - key.frame;
    const rise = next.value * scale - value;
    const m0 = m1;
    m1 = slopeAt(keys, i + 1, scale);
    if (key.ease === 'linear') rows[row + 1] = rise / h;
    else if (key.ease === 'smooth') {
      // The cubic Hermite segment in powers of the frames since its key.
      rows[row + 1] = m0;
      rows[row + 2] = (3 * rise - (2 * m0 + m1) * h) / (h * h);
      rows[row + 3] = ((m0 + m1) * h - 2 * rise) / (h * h * h);
    } else if (key.ease === 'bezier' && handles) {
      const { out } = key;
      const into = next.in;
      const x1 = out ? Math.min(h, Math.max(0, out[0])) : h / 3;
      const x2 = h + (into ? Math.min(0, Math.max(-h, into[0])) : -h / 3);
      const y1 = out ? out[1] * scale : (m0 * h) / 3;
      const y2 = into ? into[1] * scale : (-m1 * h) / 3;
      if (Math.abs(x1 - h / 3) < EVEN * h && Math.abs(x2 - (2 * h) / 3) < EVEN * h) {
        // Handles a third long: time runs evenly, and the segment is a cubic in the frames since its key.
        rows[row + 1] = (3 * y1) / h;
        rows[row + 2] = (3 * (rise + y2 - 2 * y1)) / (h * h);
        rows[row + 3] = (3 * (y1 - y2) - 2 * rise) / (h * h * h);
        continue;
      }
      const o = HANDLES * (first + i - from);
      rows[row + 1] = Number.NaN;
      handles[o] = x1;
      handles[o + 1] = y1;
      handles[o + 2] = x2;
      handles[o + 3] = rise + y2;
      handles[o + 4] = rise;
    }
  }
}

/** Copies the rows of `count` keys, and their handles where both have room for them. */
export function copyRows(
  source: CurveRows,
  from: number,
  count: number,
  rows: Float64Array,
  handles: Float64Array | undefined,
  first: number,
): void {
  rows.set(source.rows.subarray(ROW * from, ROW * (from + count)), ROW * first);
  if (handles && source.handles)
    handles.set(source.handles.subarray(HANDLES * from, HANDLES * (from + count)), HANDLES * first);
}

/** The frames of keys as a grid. */
export function gridOf({ keys, from, to }: Knots): Grid {
  const grid = new Float64Array(to - from);
  for (let i = from; i < to; i++) grid[i - from] = keys[i].frame;
  return grid;
}

/** Whether keys stand on the frames of a grid. */
export function isOnGrid({ keys, from, to }: Knots, grid: Grid): boolean {
  if (grid.length !== to - from) return false;
  for (let i = from; i < to; i++) if (keys[i].frame !== grid[i - from]) return false;
  return true;
}

/** Room for rows and handles of so many keys; none for handles where no key has them. */
export const roomFor = (keys: number, bezier: boolean): CurveRows => ({
  rows: new Float64Array(ROW * keys),
  handles: bezier ? new Float64Array(HANDLES * keys) : undefined,
});

/**
 * Compiles a curve of at least one key; `scale` multiplies every value (π/180 turns degrees into radians).
 */
export const compileCurve = (curve: Curve, scale = 1): CompiledCurve =>
  compileKnots({ keys: curve.keys, from: 0, to: curve.keys.length }, scale);

/** Compiles keys as they are read. */
export function compileKnots(knots: Knots, scale = 1): CompiledCurve {
  const { rows, handles } = roomFor(knots.to - knots.from, hasBezier(knots));
  writeRows(knots, scale, rows, handles, 0);
  return { grid: gridOf(knots), rows, handles };
}

/**
 * Index of the key on or before the frame `frames[f]`; the first one before it, the last one after the end. `guess` is
 * looked at first: frames are mostly read one after the other.
 */
export function segmentAt(grid: Grid, frames: Numbers, f: number, guess = 0): number {
  const frame = frames[f] + FRAME_TOLERANCE;
  if (grid[guess] <= frame && (guess + 1 >= grid.length || frame < grid[guess + 1])) return guess;
  let low = 0;
  let high = grid.length;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (grid[middle] <= frame) low = middle;
    else high = middle;
  }
  return low;
}

/**
 * Writes how far into a segment the frame `frames[f]` lies, and how long the segment is, to `spot[p]` and
 * `spot[p + 1]`: 0 and 0 on the key, before the first and after the last.
 */
export function locateIn(
  grid: Grid,
  segment: number,
  frames: Numbers,
  f: number,
  spot: Numbers,
  p: number,
): void {
  const x = frames[f] - grid[segment];
  const between = x > FRAME_TOLERANCE && segment + 1 < grid.length;
  spot[p] = between ? x : 0;
  spot[p + 1] = between ? grid[segment + 1] - grid[segment] : 0;
}

/** Writes the value of row `i` of some curves at a spot in its segment, as {@link locateIn} gives it. */
export function readRow(
  { rows, handles }: CurveRows,
  i: number,
  spot: Numbers,
  p: number,
  out: Numbers,
  o: number,
): void {
  const row = ROW * i;
  const x = spot[p];
  const a = rows[row + 1];
  out[o] = rows[row];
  if (x === 0) return;
  if (handles && Number.isNaN(a)) addBezierRise(handles, HANDLES * i, spot, p, out, o);
  else out[o] += x * (a + x * (rows[row + 2] + x * rows[row + 3]));
}

/** Adds how far a `bezier` segment has risen at a spot in it; its handles stand at `h`. */
function addBezierRise(
  handles: Float64Array,
  h: number,
  spot: Numbers,
  p: number,
  out: Numbers,
  o: number,
): void {
  // The parameter at which the curve from 0 through `x1`, `x2` to the end reaches x, all within the segment.
  const x = spot[p];
  const end = spot[p + 1];
  const x1 = handles[h];
  const x2 = handles[h + 2];
  let low = 0;
  let high = 1;
  let s = x / end;
  for (let step = 0; step < 60; step++) {
    const r = 1 - s;
    const error = 3 * r * r * s * x1 + 3 * r * s * s * x2 + s * s * s * end - x;
    if (Math.abs(error) <= 1e-14 * end) break;
    if (error > 0) high = s;
    else low = s;
    const slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (end - x2);
    const newton = s - error / slope;
    s = newton > low && newton < high ? newton : (low + high) / 2;
  }
  const r = 1 - s;
  out[o] += 3 * r * r * s * handles[h + 1] + 3 * r * s * s * handles[h + 3] + s * s * s * handles[h + 4];
}

const spot = new Float64Array(2);

/** Writes the value of a compiled curve at the frame `frames[f]`. */
export function readCurve(curve: CompiledCurve, frames: Numbers, f: number, out: Numbers, o: number): void {
  const segment = segmentAt(curve.grid, frames, f);
  locateIn(curve.grid, segment, frames, f, spot, 0);
  readRow(curve, segment, spot, 0, out, o);
}

const single = new Float64Array(2);

/** Value of a compiled curve at a frame. */
export function evaluateCurve(curve: CompiledCurve, frame: number): number {
  single[0] = frame;
  readCurve(curve, single, 0, single, 1);
  return single[1];
}

/** Value of a curve that is not compiled at a frame. */
export const curveAt = (curve: Curve, frame: number): number => evaluateCurve(compileCurve(curve), frame);

/** A number or a curve, ready for evaluation. */
export type CompiledScalar = number | CompiledCurve;

export function compileScalar(scalar: Scalar, scale = 1): CompiledScalar {
  return typeof scalar === 'number' ? scalar * scale : compileCurve(scalar, scale);
}

/** Writes the value at the frame `frames[f]`. */
export function readScalar(
  scalar: CompiledScalar,
  frames: Numbers,
  f: number,
  out: Numbers,
  o: number,
): void {
  if (typeof scalar === 'number') out[o] = scalar;
  else readCurve(scalar, frames, f, out, o);
}

/** Value at a frame of a number or a curve that is not compiled, held within `[low, high]`. */
export function scalarAt(scalar: Scalar, frame: number, low = 0, high = 1): number {
  const value = typeof scalar === 'number' ? scalar : curveAt(scalar, frame);
  return Math.min(high, Math.max(low, value));
}
