import { type Curve, FRAME_TOLERANCE, type Handle, type Key, keyAt, newKey } from './curve.js';
import { slopeAt } from './evaluate.js';

/** The two handles of a segment, as offsets from its keys. */
export interface SegmentHandles {
  readonly out: Handle;
  readonly in: Handle;
}

/** The automatic slope at a key, value a frame. */
export const automaticSlopeAt = (keys: readonly Key[], i: number): number => slopeAt(keys, i, 1);

/**
 * The handles that shape the segment from key `i` to the next: a cubic Bezier with these is the segment. A held segment
 * has flat ones, which do not shape it.
 */
export function handlesOfSegment(keys: readonly Key[], i: number): SegmentHandles {
  const [key, next] = [keys[i], keys[i + 1]];
  const h = next.frame - key.frame;
  const rise = next.value - key.value;
  const third = (slope: number): Handle => [h / 3, (slope * h) / 3];
  const back = ([frames, value]: Handle): Handle => [-frames, -value];
  if (key.ease === 'hold') return { out: [h / 3, 0], in: [-h / 3, 0] };
  if (key.ease === 'linear') return { out: third(rise / h), in: back(third(rise / h)) };
  const explicit = key.ease === 'bezier';
  const out = explicit ? key.out : undefined;
  const into = explicit ? next.in : undefined;
  return {
    out: out ? [Math.min(h, Math.max(0, out[0])), out[1]] : third(automaticSlopeAt(keys, i)),
    in: into ? [Math.min(0, Math.max(-h, into[0])), into[1]] : back(third(automaticSlopeAt(keys, i + 1))),
  };
}

/** Keys of which the segment after key `i` is the same Bezier whatever its neighbours are; in place. */
export function pinSegment(keys: Key[], i: number): void {
  if (i < 0 || i + 1 >= keys.length || keys[i].ease === 'hold' || keys[i].ease === 'linear') return;
  const { out, in: into } = handlesOfSegment(keys, i);
  keys[i] = { ...keys[i], ease: 'bezier', out };
  keys[i + 1] = { ...keys[i + 1], in: into };
}

type Point = readonly [number, number];

const between = (a: Point, b: Point, s: number): Point => [
  a[0] + (b[0] - a[0]) * s,
  a[1] + (b[1] - a[1]) * s,
];
const minus = (a: Point, b: Point): Handle => [a[0] - b[0], a[1] - b[1]];

/** The parameter at which a Bezier whose frames go from 0 through `x1` and `x2` to `end` reaches frame `x`. */
function parameterAt(x: number, x1: number, x2: number, end: number): number {
  let [low, high] = [0, 1];
  // Half of what is left each time: after 60 times nothing is, in 64 bits.
  for (let step = 0; step < 60; step++) {
    const s = (low + high) / 2;
    const r = 1 - s;
    if (3 * r * r * s * x1 + 3 * r * s * s * x2 + s * s * s * end < x) low = s;
    else high = s;
  }
  return (low + high) / 2;
}

/**
 * Sets a key on the curve at a frame and leaves the curve as it is: a smooth or Bezier segment is split by the algorithm
 * of de Casteljau, and the segments beside it keep the slopes that they had. Where there is a key already nothing changes.
 */
export function insertKey(curve: Curve, frame: number): Curve {
  if (curve.keys.length === 0 || keyAt(curve, frame)) return curve;
  const keys = [...curve.keys];
  const i = keys.findLastIndex((key) => key.frame < frame);
  if (i < 0) return { keys: [newKey(frame, keys[0].value), ...keys] };
  if (i === keys.length - 1) {
    // Beyond its last key a curve holds: so it does up to the new one.
    const { out: _, ...last } = keys[i];
    keys[i] = { ...last, ease: last.ease === 'bezier' ? 'smooth' : last.ease };
    return { keys: [...keys, newKey(frame, last.value)] };
  }
  for (const segment of [i - 1, i, i + 1]) pinSegment(keys, segment);
  const [key, next] = [keys[i], keys[i + 1]];
  const h = next.frame - key.frame;
  const x = frame - key.frame;
  if (key.ease === 'hold' || key.ease === 'linear') {
    const share = key.ease === 'hold' ? 0 : x / h;
    keys.splice(i + 1, 0, newKey(frame, key.value + (next.value - key.value) * share, key.ease));
    return { keys };
  }
  const end: Point = [h, next.value - key.value];
  const [p1, p2]: Point[] = [key.out!, [end[0] + next.in![0], end[1] + next.in![1]]];
  const s = parameterAt(x, p1[0], p2[0], h);
  const [a, b, c] = [between([0, 0], p1, s), between(p1, p2, s), between(p2, end, s)];
  const [d, e] = [between(a, b, s), between(b, c, s)];
  const at = between(d, e, s);
  keys[i] = { ...key, out: a };
  keys[i + 1] = { ...next, in: minus(c, end) };
  keys.splice(i + 1, 0, {
    ...newKey(frame, key.value + at[1], 'bezier'),
    in: minus(d, at),
    out: minus(e, at),
  });
  return { keys };
}

/** Which of the two handles of a key. */
export type HandleSide = 'in' | 'out';

/** Whether both handles of a key lie on one line, so that one turns with the other. */
export function areJoined(keys: readonly Key[], i: number): boolean {
  if (i === 0 || i + 1 >= keys.length) return false;
  const into = handlesOfSegment(keys, i - 1).in;
  const { out } = handlesOfSegment(keys, i);
  const cross = into[0] * out[1] - into[1] * out[0];
  return Math.abs(cross) <= 1e-6 * (Math.hypot(...into) * Math.hypot(...out) + FRAME_TOLERANCE);
}

/**
 * Sets a handle of key `i`, with `joined` turning the other one with it, which keeps its frames. The segments that it
 * shapes become Bezier segments. Its frames are held within its segment.
 */
export function setHandle(curve: Curve, i: number, side: HandleSide, handle: Handle, joined: boolean): Curve {
  const keys = [...curve.keys];
  const other: HandleSide = side === 'in' ? 'out' : 'in';
  const segment = (one: HandleSide) => (one === 'in' ? i - 1 : i);
  const exists = (one: HandleSide) => segment(one) >= 0 && segment(one) + 1 < keys.length;
  if (!exists(side)) return curve;
  const open = (one: HandleSide) => {
    const start = keys[segment(one)];
    if (start.ease === 'bezier' || start.ease === 'hold') return;
    const handles = handlesOfSegment(keys, segment(one));
    keys[segment(one)] = { ...start, ease: 'bezier', out: handles.out };
    keys[segment(one) + 1] = { ...keys[segment(one) + 1], in: handles.in };
  };
  const turns = joined && exists(other) && keys[segment(other)].ease !== 'hold';
  if (keys[segment(side)].ease === 'hold') return curve;
  open(side);
  const room = keys[segment(side) + 1].frame - keys[segment(side)].frame;
  const frames =
    side === 'out' ? Math.min(room, Math.max(0, handle[0])) : Math.min(0, Math.max(-room, handle[0]));
  if (turns) {
    open(other);
    const before = handlesOfSegment(keys, segment(other))[other];
    const slope = Math.abs(frames) > FRAME_TOLERANCE ? handle[1] / frames : 0;
    keys[i] = { ...keys[i], [other]: [before[0], before[0] * slope] };
  }
  keys[i] = { ...keys[i], [side]: [frames, handle[1]] };
  return { keys };
}

/** What is done with the handles of picked keys. */
export const HANDLE_KINDS = ['automatic', 'flat', 'joined'] as const;
export type HandleKind = (typeof HANDLE_KINDS)[number];

/**
 * Gives the picked keys other handles: automatic ones, which keep the curve smooth; flat ones, on which the curve stands
 * still at the key; or joins those that were apart, at the mean of their slopes.
 */
export function setHandles(curve: Curve, isPicked: (key: Key) => boolean, kind: HandleKind): Curve {
  let current = curve;
  for (const [i, key] of curve.keys.entries()) {
    if (!isPicked(key)) continue;
    if (kind === 'automatic') {
      const { in: _, out: __, ...plain } = current.keys[i];
      current = { keys: current.keys.with(i, plain) };
      continue;
    }
    const into = i > 0 ? handlesOfSegment(current.keys, i - 1).in : undefined;
    const out = i + 1 < current.keys.length ? handlesOfSegment(current.keys, i).out : undefined;
    const slopes = [into, out].flatMap((handle) =>
      handle && Math.abs(handle[0]) > FRAME_TOLERANCE ? [handle[1] / handle[0]] : [],
    );
    const slope =
      kind === 'flat' || slopes.length === 0 ? 0 : slopes.reduce((sum, one) => sum + one, 0) / slopes.length;
    if (into) current = setHandle(current, i, 'in', [into[0], into[0] * slope], false);
    if (out) current = setHandle(current, i, 'out', [out[0], out[0] * slope], false);
  }
  return current;
}
