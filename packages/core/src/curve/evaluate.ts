import { type Curve, FRAME_TOLERANCE, type Scalar } from './curve.js';

/**
 * A curve of `n` keys made ready for evaluation, one stretch of numbers that may stand anywhere in a larger
 * buffer, so that the curves of a layer lie side by side in memory in the order in which they are read:
 *
 * ```
 * n | frame 0 ... frame n-1 | v a b c of key 0 ... v a b c of key n-1 | handles of key 0 ...
 * ```
 *
 * From key `i` to `i + 1` the value `x` frames after the key is `v + x · (a + x · (b + x · c))`. A `bezier`
 * segment has `a` not a number, and five numbers among the handles, which are there only if any segment needs
 * them: out handle and in handle as points relative to key `i`, and the rise of the segment.
 */
export type CompiledCurve = Float64Array;

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
  const bezier = keys.some((key) => key.ease === 'bezier');
  const out = new Float64Array(1 + n + ROW * n + (bezier ? HANDLES * n : 0));
  const frame = (i: number) => keys[i].frame;
  const value = (i: number) => keys[i].value * scale;
  const slope = (i: number) =>
    i === 0 || i === n - 1
      ? 0
      : automaticSlope(
          value(i) - value(i - 1),
          frame(i) - frame(i - 1),
          value(i + 1) - value(i),
          frame(i + 1) - frame(i),
        );
  out[0] = n;
  for (let i = 0; i < n; i++) {
    const row = 1 + n + ROW * i;
    out[1 + i] = frame(i);
    out[row] = value(i);
    if (i === n - 1) break;
    const h = frame(i + 1) - frame(i);
    const rise = value(i + 1) - value(i);
    const { ease } = keys[i];
    if (ease === 'linear') out[row + 1] = rise / h;
    else if (ease === 'smooth') {
      // The cubic Hermite segment in powers of the frames since its key.
      const m0 = slope(i);
      const m1 = slope(i + 1);
      out[row + 1] = m0;
      out[row + 2] = (3 * rise - (2 * m0 + m1) * h) / (h * h);
      out[row + 3] = ((m0 + m1) * h - 2 * rise) / (h * h * h);
    } else if (ease === 'bezier') {
      const from = keys[i].out;
      const into = keys[i + 1].in;
      const o = 1 + n + ROW * n + HANDLES * i;
      out[row + 1] = Number.NaN;
      out[o] = from ? Math.min(h, Math.max(0, from[0])) : h / 3;
      out[o + 1] = from ? from[1] * scale : (slope(i) * h) / 3;
      out[o + 2] = h + (into ? Math.min(0, Math.max(-h, into[0])) : -h / 3);
      out[o + 3] = rise + (into ? into[1] * scale : (-slope(i + 1) * h) / 3);
      out[o + 4] = rise;
    }
  }
  return out;
}

/** Value at a frame of the compiled curve that starts at `at` in a buffer. */
export function evaluateCurve(curve: CompiledCurve, frame: number, at = 0): number {
  const n = curve[at];
  const first = at + 1;
  const last = at + n;
  const table = last + 1;
  if (!(frame > curve[first] + FRAME_TOLERANCE)) return curve[table];
  if (frame >= curve[last] - FRAME_TOLERANCE) return curve[table + ROW * (n - 1)];
  let low = first;
  let high = last;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (curve[middle] <= frame + FRAME_TOLERANCE) low = middle;
    else high = middle;
  }
  const x = frame - curve[low];
  const row = table + ROW * (low - first);
  if (x <= FRAME_TOLERANCE) return curve[row];
  const a = curve[row + 1];
  if (Number.isNaN(a)) {
    return (
      curve[row] +
      bezierRise(curve, table + ROW * n + HANDLES * (low - first), x, curve[low + 1] - curve[low])
    );
  }
  return curve[row] + x * (a + x * (curve[row + 2] + x * curve[row + 3]));
}

/** How far a `bezier` segment of length `h` has risen `x` frames after its key; its handles stand at `o`. */
function bezierRise(curve: CompiledCurve, o: number, x: number, h: number): number {
  const s = bezierParameter(x, curve[o], curve[o + 2], h);
  const r = 1 - s;
  return 3 * r * r * s * curve[o + 1] + 3 * r * s * s * curve[o + 3] + s * s * s * curve[o + 4];
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
