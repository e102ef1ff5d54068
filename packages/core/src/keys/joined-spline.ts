import type { Spline } from './spline.js';

/** A spline to which others are added behind one another, in memory that grows with its knots. */
export interface JoinedSpline {
  /** What all so far hold, and the samples at which each of them ends; undefined once one is different. */
  held: Spline | undefined;
  readonly ends: number[];
  /** Numbers a value, and whether knots are joined straight. */
  size: number;
  straight: boolean;
  /** Knots so far, and room for more. */
  count: number;
  knots: Int32Array;
  values: Float64Array;
  into: Float64Array;
  out: Float64Array;
}

export const newJoinedSpline = (): JoinedSpline => ({
  held: undefined,
  ends: [],
  size: 0,
  straight: false,
  count: 0,
  knots: new Int32Array(0),
  values: new Float64Array(0),
  into: new Float64Array(0),
  out: new Float64Array(0),
});

/** Adds a spline over samples `from` to `to`, which begins where the last one ended, at the same value. */
export function addSpline(joined: JoinedSpline, spline: Spline, from: number, to: number): void {
  const { held, ends, count } = joined;
  const begins = count === 0 && ends.length === 0;
  if (spline.knots.length === 1 && (begins || (held && same(held.values, spline.values)))) {
    joined.held ??= spline;
    ends.push(to);
    return;
  }
  if (held) for (const [k, end] of ends.entries()) append(joined, held, k === 0 ? 0 : ends[k - 1], end);
  joined.held = undefined;
  joined.size = spline.size;
  joined.straight = spline.straight;
  append(joined, spline, from, to);
}

/** The spline over all that was added: where everything holds one value a single knot. */
export function splineOf({ held, size, straight, count, knots, values, into, out }: JoinedSpline): Spline {
  return (
    held ?? {
      size,
      straight,
      knots: knots.slice(0, count),
      values: values.slice(0, size * count),
      into: into.slice(0, size * count),
      out: out.slice(0, size * count),
    }
  );
}

function append(joined: JoinedSpline, spline: Spline, from: number, to: number): void {
  const { size, values, into, out } = spline;
  // One that holds has one knot: between others it needs one at its end too.
  const knots = spline.knots.length > 1 ? spline.knots : [0, to - from];
  reserve(joined, joined.count + knots.length, size);
  for (let i = 0; i < knots.length; i++) {
    const o = size * Math.min(i, spline.knots.length - 1);
    // At a seam there is a knot already: it is left by another slope.
    const seam = i === 0 && joined.count > 0;
    if (!seam) {
      joined.knots[joined.count] = from + knots[i];
      joined.values.set(values.subarray(o, o + size), size * joined.count);
      joined.into.set(into.subarray(o, o + size), size * joined.count);
      joined.count++;
    }
    joined.out.set(out.subarray(o, o + size), size * (joined.count - 1));
  }
}

/** Makes room for so many knots, and as many again by half. */
function reserve(joined: JoinedSpline, count: number, size: number): void {
  if (count <= joined.knots.length) return;
  const room = Math.ceil(1.5 * count);
  const knots = new Int32Array(room);
  knots.set(joined.knots);
  joined.knots = knots;
  for (const numbers of ['values', 'into', 'out'] as const) {
    const more = new Float64Array(size * room);
    more.set(joined[numbers]);
    joined[numbers] = more;
  }
}

const same = (a: Float64Array, b: Float64Array): boolean => a.every((value, i) => value === b[i]);
