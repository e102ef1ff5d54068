import { type Curve, FRAME_TOLERANCE, type Scalar } from './curve.js';

/**
 * A curve made ready for evaluation. For the segment from key `i` to `i + 1` the table holds eight numbers:
 *
 * ```
 * kind  v0  v1  a  b  c  d  -
 * HOLD, LINEAR   nothing more
 * CUBIC          a, b: slopes at both keys, value a frame
 * BEZIER         (a, b) out handle, (c, d) in handle, as points relative to key i: frames, values
 * ```
 */
export interface CompiledCurve {
  readonly frames: Float64Array;
  readonly values: Float64Array;
  readonly table: Float64Array;
}

const HOLD = 0;
const LINEAR = 1;
const CUBIC = 2;
const BEZIER = 3;
const STRIDE = 8;

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

/** Compiles a curve; `scale` multiplies every value (π/180 turns degrees into radians). */
export function compileCurve(curve: Curve, scale = 1): CompiledCurve {
  const { keys } = curve;
  const n = keys.length;
  const frames = Float64Array.from(keys, (key) => key.frame);
  const values = Float64Array.from(keys, (key) => key.value * scale);
  const table = new Float64Array(STRIDE * Math.max(0, n - 1));
  const slope = (i: number) =>
    i === 0 || i === n - 1
      ? 0
      : automaticSlope(
          values[i] - values[i - 1],
          frames[i] - frames[i - 1],
          values[i + 1] - values[i],
          frames[i + 1] - frames[i],
        );
  for (let i = 0; i < n - 1; i++) {
    const h = frames[i + 1] - frames[i];
    const o = STRIDE * i;
    table[o + 1] = values[i];
    table[o + 2] = values[i + 1];
    switch (keys[i].ease) {
      case 'hold':
        table[o] = HOLD;
        break;
      case 'linear':
        table[o] = LINEAR;
        break;
      case 'smooth':
        table[o] = CUBIC;
        table[o + 3] = slope(i);
        table[o + 4] = slope(i + 1);
        break;
      case 'bezier': {
        const out = keys[i].out;
        const into = keys[i + 1].in;
        table[o] = BEZIER;
        table[o + 3] = out ? Math.min(h, Math.max(0, out[0])) : h / 3;
        table[o + 4] = out ? out[1] * scale : (slope(i) * h) / 3;
        table[o + 5] = h + (into ? Math.min(0, Math.max(-h, into[0])) : -h / 3);
        table[o + 6] = values[i + 1] - values[i] + (into ? into[1] * scale : (-slope(i + 1) * h) / 3);
        break;
      }
    }
  }
  return { frames, values, table };
}

/** Value of a compiled curve of at least one key at a frame. */
export function evaluateCurve(curve: CompiledCurve, frame: number): number {
  const { frames, values, table } = curve;
  const last = frames.length - 1;
  if (!(frame > frames[0] + FRAME_TOLERANCE)) return values[0];
  if (frame >= frames[last] - FRAME_TOLERANCE) return values[last];
  let low = 0;
  let high = last;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (frames[middle] <= frame + FRAME_TOLERANCE) low = middle;
    else high = middle;
  }
  const x = frame - frames[low];
  if (x <= FRAME_TOLERANCE) return values[low];
  const h = frames[low + 1] - frames[low];
  const o = STRIDE * low;
  const v0 = table[o + 1];
  const v1 = table[o + 2];
  switch (table[o]) {
    case HOLD:
      return v0;
    case LINEAR:
      return v0 + ((v1 - v0) * x) / h;
    case CUBIC: {
      const u = x / h;
      const rise = v1 - v0;
      const m0 = table[o + 3] * h;
      const m1 = table[o + 4] * h;
      return v0 + u * (m0 + u * (3 * rise - 2 * m0 - m1 + u * (m0 + m1 - 2 * rise)));
    }
    default: {
      const s = bezierParameter(x, table[o + 3], table[o + 5], h);
      const r = 1 - s;
      return v0 + 3 * r * r * s * table[o + 4] + 3 * r * s * s * table[o + 6] + s * s * s * (v1 - v0);
    }
  }
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
