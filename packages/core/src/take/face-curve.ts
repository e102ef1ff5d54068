import type { Numbers } from '../math/numbers.js';

/** How a curve runs between its keys, by the words of glTF 2.0, appendix C. */
export type FaceInterpolation = 'LINEAR' | 'STEP' | 'CUBICSPLINE';

/**
 * What a take records of a face channel, as its file does: keys at times of their own. Before the first key and after the
 * last the end value holds. Curves that are keyed together share the times.
 */
export interface FaceCurve {
  readonly channel: string;
  readonly interpolation: FaceInterpolation;
  /** Seconds, ascending. */
  readonly times: Float64Array;
  /** A number a key; of a cubic spline three: the slope that leads into it, its value, the slope that leads out of it, a second. */
  readonly values: Float64Array;
}

/** By how much a time may be off that a file keeps in 32 bits, and that was divided by a rate. */
const slackOf = (time: number): number => time * 2 ** -22 + 1e-9;

/**
 * Writes the value of a curve at `seconds[s]` to `out[o]`. `cursors[c]` is the key that was found last, from which the
 * next is looked for. A time within rounding of a key counts as on it.
 */
export function readFace(
  { times, values, interpolation }: FaceCurve,
  seconds: Numbers,
  s: number,
  cursors: Int32Array,
  c: number,
  out: Numbers,
  o: number,
): void {
  const time = seconds[s];
  const snap = slackOf(Math.abs(time));
  const last = times.length - 1;
  let key = cursors[c];
  if (key > last || times[key] > time + snap) key = 0;
  while (key < last && times[key + 1] <= time + snap) key++;
  cursors[c] = key;
  const cubic = interpolation === 'CUBICSPLINE';
  const at = cubic ? 3 * key + 1 : key;
  const since = time - times[key];
  if (key === last || interpolation === 'STEP' || since <= snap) {
    out[o] = values[at];
    return;
  }
  const h = times[key + 1] - times[key];
  const u = since / h;
  if (!cubic) {
    out[o] = (1 - u) * values[at] + u * values[at + 1];
    return;
  }
  const r = 1 - u;
  out[o] =
    r * r * (1 + 2 * u) * values[at] +
    h * u * r * r * values[at + 1] +
    u * u * (3 - 2 * u) * values[at + 3] -
    h * u * u * r * values[at + 2];
}

/** Whether times lie on samples that are so far apart, in seconds. */
export const fallOnSamples = (times: Float64Array, interval: number): boolean =>
  times.every((time) => Math.abs(time - Math.round(time / interval) * interval) <= slackOf(time));

/** The value of a curve at a time in seconds. */
export function faceAt(curve: FaceCurve, time: number): number {
  const out = [0];
  readFace(curve, [time], 0, new Int32Array(1), 0, out, 0);
  return out[0];
}

/** The slope of a cubic curve at a time that is no key, a second. */
function slopeAt({ times, values }: FaceCurve, time: number): number {
  const key = times.findLastIndex((one) => one <= time);
  if (key < 0 || key + 1 === times.length) return 0;
  const h = times[key + 1] - times[key];
  const u = (time - times[key]) / h;
  const at = 3 * key + 1;
  return (
    (6 * (u * u - u) * (values[at] - values[at + 3])) / h +
    (3 * u * u - 4 * u + 1) * values[at + 1] +
    (3 * u * u - 2 * u) * values[at + 2]
  );
}

/** The part of a curve between two times in seconds, counted from the first: between them it is the same. */
export function cutFace(curve: FaceCurve, from: number, to: number): FaceCurve {
  const { times, values, interpolation } = curve;
  const cubic = interpolation === 'CUBICSPLINE';
  const inner = [...times.keys()].filter(
    (k) => times[k] > from + slackOf(from) && times[k] < to - slackOf(to),
  );
  const end = (time: number): number[] => {
    const known = times.findIndex((one) => Math.abs(one - time) <= slackOf(time));
    if (!cubic) return [faceAt(curve, time)];
    if (known >= 0) return [...values.subarray(3 * known, 3 * known + 3)];
    const slope = slopeAt(curve, time);
    return [slope, faceAt(curve, time), slope];
  };
  const size = cubic ? 3 : 1;
  const ends = to > from ? [from, to] : [from];
  return {
    ...curve,
    times: Float64Array.from(
      [ends[0], ...inner.map((k) => times[k]), ...ends.slice(1)],
      (time) => time - from,
    ),
    values: Float64Array.from([
      ...end(from),
      ...inner.flatMap((k) => [...values.subarray(size * k, size * k + size)]),
      ...(ends.length > 1 ? end(to) : []),
    ]),
  };
}

/** A curve read at even times, `count` from 0 on, joined straight. */
export function evenFace(curve: FaceCurve, count: number, interval: number): FaceCurve {
  const times = Float64Array.from({ length: count }, (_, k) => k * interval);
  const cursor = new Int32Array(1);
  const values = new Float64Array(count);
  for (let k = 0; k < count; k++) readFace(curve, times, k, cursor, 0, values, k);
  return { channel: curve.channel, interpolation: 'LINEAR', times, values };
}
