import { type Curve, FRAME_TOLERANCE, type Scalar } from './curve.js';

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

const ROW = 4;
const HANDLES = 5;

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

/** Compiles a curve of at least one key; `scale` multiplies every value (π/180 turns degrees into radians). */
export function compileCurve(curve: Curve, scale = 1): CompiledCurve {
  const { keys } = curve;
  const n = keys.length;
  const grid = Float64Array.from(keys, (key) => key.frame);
  const rows = new Float64Array(ROW * n);
  const handles = keys.some((key) => key.ease === 'bezier') ? new Float64Array(HANDLES * n) : undefined;
  const value = (i: number) => keys[i].value * scale;
  const slope = (i: number) =>
    i === 0 || i === n - 1
      ? 0
      : automaticSlope(
          value(i) - value(i - 1),
          grid[i] - grid[i - 1],
          value(i + 1) - value(i),
          grid[i + 1] - grid[i],
        );
  for (let i = 0; i < n; i++) {
    const row = ROW * i;
    rows[row] = value(i);
    if (i === n - 1) break;
    const h = grid[i + 1] - grid[i];
    const rise = value(i + 1) - value(i);
    const { ease } = keys[i];
    if (ease === 'linear') rows[row + 1] = rise / h;
    else if (ease === 'smooth') {
      // The cubic Hermite segment in powers of the frames since its key.
      const m0 = slope(i);
      const m1 = slope(i + 1);
      rows[row + 1] = m0;
      rows[row + 2] = (3 * rise - (2 * m0 + m1) * h) / (h * h);
      rows[row + 3] = ((m0 + m1) * h - 2 * rise) / (h * h * h);
    } else if (ease === 'bezier' && handles) {
      const { out } = keys[i];
      const into = keys[i + 1].in;
      const o = HANDLES * i;
      rows[row + 1] = Number.NaN;
      handles[o] = out ? Math.min(h, Math.max(0, out[0])) : h / 3;
      handles[o + 1] = out ? out[1] * scale : (slope(i) * h) / 3;
      handles[o + 2] = h + (into ? Math.min(0, Math.max(-h, into[0])) : -h / 3);
      handles[o + 3] = rise + (into ? into[1] * scale : (-slope(i + 1) * h) / 3);
      handles[o + 4] = rise;
    }
  }
  return { grid, rows, handles };
}

/** Index of the key on or before a frame; the first one before it, the last one after the end. */
export function segmentAt(grid: Grid, frame: number): number {
  let low = 0;
  let high = grid.length;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (grid[middle] <= frame + FRAME_TOLERANCE) low = middle;
    else high = middle;
  }
  return low;
}

/** Frames from the key of a segment to a frame; 0 on the key, before the first and after the last. */
export function offsetIn(grid: Grid, segment: number, frame: number): number {
  const x = frame - grid[segment];
  return x <= FRAME_TOLERANCE || segment === grid.length - 1 ? 0 : x;
}

/** Value `x` frames after the key of row `i` of some curves, whose segment is `h` frames long. */
export function valueIn({ rows, handles }: CurveRows, i: number, x: number, h: number): number {
  const row = ROW * i;
  const a = rows[row + 1];
  if (handles && Number.isNaN(a)) return rows[row] + (x === 0 ? 0 : bezierRise(handles, HANDLES * i, x, h));
  return rows[row] + x * (a + x * (rows[row + 2] + x * rows[row + 3]));
}

/** Value of a compiled curve at a frame. */
export function evaluateCurve(curve: CompiledCurve, frame: number): number {
  const { grid } = curve;
  const segment = segmentAt(grid, frame);
  const h = segment + 1 < grid.length ? grid[segment + 1] - grid[segment] : 0;
  return valueIn(curve, segment, offsetIn(grid, segment, frame), h);
}

/** How far a `bezier` segment of length `h` has risen `x` frames after its key; its handles stand at `o`. */
function bezierRise(handles: Float64Array, o: number, x: number, h: number): number {
  const s = bezierParameter(x, handles[o], handles[o + 2], h);
  const r = 1 - s;
  return 3 * r * r * s * handles[o + 1] + 3 * r * s * s * handles[o + 3] + s * s * s * handles[o + 4];
}

/** The parameter at which a cubic Bezier from 0 through `x1`, `x2` to `h` (all within [0, h]) reaches `x`. */
function bezierParameter(x: number, x1: number, x2: number, h: number): number {
  let low = 0;
  let high = 1;
  let s = x / h;
  for (let step = 0; step < 60; step++) {
    const r = 1 - s;
    const error = 3 * r * r * s * x1 + 3 * r * s * s * x2 + s * s * s * h - x;
    if (Math.abs(error) <= 1e-14 * h) return s;
    if (error > 0) high = s;
    else low = s;
    const slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (h - x2);
    const newton = s - error / slope;
    s = newton > low && newton < high ? newton : (low + high) / 2;
  }
  return s;
}

/** A number or a curve, ready for evaluation. */
export type CompiledScalar = number | CompiledCurve;

export function compileScalar(scalar: Scalar, scale = 1): CompiledScalar {
  return typeof scalar === 'number' ? scalar * scale : compileCurve(scalar, scale);
}

/** Value at a frame, held within `[low, high]`. */
export function evaluateWithin(scalar: CompiledScalar, frame: number, low: number, high: number): number {
  const value = typeof scalar === 'number' ? scalar : evaluateCurve(scalar, frame);
  return Math.min(high, Math.max(low, value));
}

/** Value at a frame of a number or a curve that is not compiled, held within `[low, high]`. */
export function scalarAt(scalar: Scalar, frame: number, low = 0, high = 1): number {
  return evaluateWithin(compileScalar(scalar), frame, low, high);
}
