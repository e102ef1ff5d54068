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

/** Where a curve is read at a time: what is found by `locateFace`, and from which key it is looked for next. */
export interface FaceSpot {
  /** The last key that is not after the time. */
  key: number;
  /** Where its value stands, in numbers of a curve, and how far on that of the next key; 0 where it counts nothing. */
  row: number;
  next: number;
  /** Whether the value of the key is all: on it, after the last one, or held. */
  last: boolean;
  cubic: boolean;
  /** How much the value of the key and of the next one count, and the slopes out of the one and into the other. */
  readonly factors: Float64Array;
}

export const newFaceSpot = (): FaceSpot => ({
  key: 0,
  row: 0,
  next: 0,
  last: true,
  cubic: false,
  factors: Float64Array.of(1, 0, 0, 0),
});

/** Finds where curves that are keyed together are read at a time in seconds. A time within rounding of a key counts as on it. */
export function locateFace(
  { times, interpolation }: Pick<FaceCurve, 'times' | 'interpolation'>,
  time: number,
  spot: FaceSpot,
): void {
  const snap = slackOf(Math.abs(time));
  const last = times.length - 1;
  let key = spot.key;
  if (key > last || times[key] > time + snap) key = 0;
  while (key < last && times[key + 1] <= time + snap) key++;
  const since = time - times[key];
  const { factors } = spot;
  spot.key = key;
  spot.cubic = interpolation === 'CUBICSPLINE';
  spot.row = spot.cubic ? 3 * key + 1 : key;
  spot.last = key === last || interpolation === 'STEP' || since <= snap;
  spot.next = spot.last ? 0 : spot.cubic ? 3 : 1;
  factors[0] = 1;
  factors[1] = 0;
  factors[2] = 0;
  factors[3] = 0;
  if (spot.last) return;
  const h = times[key + 1] - times[key];
  const u = since / h;
  const r = 1 - u;
  if (spot.cubic) {
    factors[0] = r * r * (1 + 2 * u);
    factors[1] = u * u * (3 - 2 * u);
    factors[2] = h * u * r * r;
    factors[3] = -h * u * u * r;
  } else {
    factors[0] = r;
    factors[1] = u;
  }
}

/** The value of a curve at a time in seconds, looked for from where `spot` was last. */
export function readFace(curve: FaceCurve, time: number, spot: FaceSpot): number {
  locateFace(curve, time, spot);
  const { values } = curve;
  const { factors, row, next, last, cubic } = spot;
  const value = factors[0] * values[row] + factors[1] * values[row + next];
  if (last || !cubic) return value;
  return value + factors[2] * values[row + 1] + factors[3] * values[row + 2];
}

/** The value of a curve at a time in seconds. */
export const faceAt = (curve: FaceCurve, time: number): number => readFace(curve, time, newFaceSpot());

/** Whether times lie on samples that are so far apart, in seconds. */
export const fallOnSamples = (times: Float64Array, interval: number): boolean =>
  times.every((time) => Math.abs(time - Math.round(time / interval) * interval) <= slackOf(time));

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
  const spot = newFaceSpot();
  const values = times.map((time) => readFace(curve, time, spot));
  return { channel: curve.channel, interpolation: 'LINEAR', times, values };
}
