import { type Curve, FRAME_TOLERANCE, type Key, keyAt } from './curve.js';
import { compileCurve, evaluateCurve } from './evaluate.js';
import { insertKey, pinSegment } from './handles.js';

/** Places between two keys at which it is looked which curve is larger: two cubics cross three times at most. */
const LOOKS = 16;
/** Values that are as good as equal, and frames that a jump takes. */
const EQUAL = 1e-9;
const JUMP = 4 * FRAME_TOLERANCE;

/**
 * The curve that is at every frame the larger one of two: both as they are, joined where they cross. Keys of the one that is
 * the smaller there go; where the larger one begins anew with a jump, it jumps.
 */
export function largerOf(a: Curve, b: Curve): Curve {
  if (a.keys.length === 0) return b;
  if (b.keys.length === 0) return a;
  const [one, other] = [compileCurve(a), compileCurve(b)];
  const ahead = (frame: number) => evaluateCurve(one, frame) - evaluateCurve(other, frame);
  const frames = [...a.keys, ...b.keys].map(({ frame }) => frame).sort((x, y) => x - y);
  const bounds = frames.flatMap((frame, i) => [
    ...(i > 0 && frame - frames[i - 1] > 4 * JUMP ? crossings(ahead, frames[i - 1], frame) : []),
    ...(i === 0 || frame - frames[i - 1] > FRAME_TOLERANCE ? [frame] : []),
  ]);
  const runs: { readonly curve: Curve; readonly from: number }[] = [];
  for (const [i, from] of [Number.NEGATIVE_INFINITY, ...bounds].entries()) {
    const to = bounds[i] ?? Number.POSITIVE_INFINITY;
    const d = ahead(
      Number.isFinite(from) ? (Number.isFinite(to) ? (from + to) / 2 : from + 1) : bounds[0] - 1,
    );
    const last = runs.at(-1);
    const curve = Math.abs(d) < EQUAL ? (last?.curve ?? a) : d > 0 ? a : b;
    if (curve !== last?.curve) runs.push({ curve, from });
  }
  return { keys: runs.map(({ curve, from }, k) => piece(curve, from, runs[k + 1]?.from)).reduce(joined) };
}

/** Where a difference changes its sign between two frames. */
function crossings(ahead: (frame: number) => number, from: number, to: number): number[] {
  const found: number[] = [];
  const at = (k: number) => from + ((to - from) * k) / LOOKS;
  // The ends are keys, at which a curve may jump.
  const side = (k: number) => ahead(Math.min(to - JUMP, Math.max(from + JUMP, at(k))));
  let before = side(0);
  for (let k = 1; k <= LOOKS; k++) {
    const now = side(k);
    if (before * now < 0 && Math.abs(before) > EQUAL && Math.abs(now) > EQUAL) {
      let [low, high] = [Math.max(from + JUMP, at(k - 1)), Math.min(to - JUMP, at(k))];
      for (let step = 0; step < 50; step++) {
        const middle = (low + high) / 2;
        if (ahead(middle) * before > 0) low = middle;
        else high = middle;
      }
      found.push((low + high) / 2);
    }
    if (Math.abs(now) > EQUAL) before = now;
  }
  return found;
}

/** The keys of a curve from one frame to another, of which the segments at the ends stay as they are. */
function piece(curve: Curve, from: number, to: number | undefined): Key[] {
  const first = Number.isFinite(from) ? from : undefined;
  let cut = curve;
  for (const end of [first, to]) if (end !== undefined) cut = insertKey(cut, end);
  const keys = [...cut.keys];
  const inside = keys.flatMap(({ frame }, k) =>
    (first === undefined || frame >= first - FRAME_TOLERANCE) &&
    (to === undefined || frame <= to + FRAME_TOLERANCE)
      ? [k]
      : [],
  );
  const [low, high] = [inside[0], inside[inside.length - 1]];
  if (first !== undefined) pinSegment(keys, low);
  if (to !== undefined) pinSegment(keys, high - 1);
  return keys.slice(low, high + 1);
}

/** Two pieces of which the second begins where the first ends. */
function joined(left: Key[], right: Key[]): Key[] {
  const [end, begin] = [left[left.length - 1], right[0]];
  const { in: _, ...next } = begin;
  if (Math.abs(end.value - begin.value) < 1e-7)
    return [...left.slice(0, -1), { ...next, ...(end.in && { in: end.in }) }, ...right.slice(1)];
  // A jump: the first one is held up to it.
  const frame = begin.frame - JUMP;
  const held = insertKey({ keys: left }, frame).keys.filter((key) => key.frame <= frame + FRAME_TOLERANCE);
  const { out: __, ...last } = keyAt({ keys: held }, frame) ?? held[held.length - 1];
  return [...held.slice(0, -1), { ...last, ease: 'hold' }, next, ...right.slice(1)];
}
