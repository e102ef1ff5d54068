import type { StrokePoint } from './note.js';

/** Where a joint is seen at frames that follow one another: across and down from the middle of a picture, in its heights, and how long a height is there. */
export interface SeenTrail {
  /** Three numbers a frame: across, down, and the length of a height of the picture at that depth, in units of the rig. */
  readonly points: Float64Array;
  /** The frame of the first of them. */
  readonly first: number;
}

/** How far a stroke lies beside a trail, in units of the rig. */
export interface OffTrail {
  readonly mean: number;
  readonly most: number;
  /** The frame of the trail beside which it is off by the most. */
  readonly at: number;
}

/** Places of a stroke that are measured, evenly along it: where it was drawn slowly counts no more than elsewhere. */
const PLACES = 96;

/**
 * Measures a stroke, such as an arc that a hand should follow, against the trail of a joint in the same picture: from places along the stroke to
 * the nearest place of the trail, joined straight from frame to frame. Undefined where one of them has no points, or none of the trail is seen.
 */
export function strokeOffTrail(
  stroke: readonly StrokePoint[],
  { points, first }: SeenTrail,
): OffTrail | undefined {
  const count = points.length / 3;
  if (stroke.length === 0 || count === 0) return undefined;
  let sum = 0;
  let most = -1;
  let at = first;
  const places = evenly(stroke);
  for (const [x, y] of places) {
    const near = nearest(points, count, x, y);
    sum += near.off;
    if (near.off > most) [most, at] = [near.off, first + near.frame];
  }
  return most === Number.POSITIVE_INFINITY ? undefined : { mean: sum / places.length, most, at };
}

/** Places at even distances along a stroke. */
function evenly(stroke: readonly StrokePoint[]): (readonly [number, number])[] {
  const ways = [0];
  for (let k = 1; k < stroke.length; k++)
    ways.push(ways[k - 1] + Math.hypot(stroke[k][0] - stroke[k - 1][0], stroke[k][1] - stroke[k - 1][1]));
  const length = ways[ways.length - 1];
  if (length === 0) return [[stroke[0][0], stroke[0][1]]];
  let k = 1;
  return Array.from({ length: PLACES }, (_, i) => {
    const way = (length * i) / (PLACES - 1);
    while (k < stroke.length - 1 && ways[k] < way) k++;
    const step = ways[k] - ways[k - 1];
    const u = step > 0 ? Math.min(1, (way - ways[k - 1]) / step) : 0;
    const [a, b] = [stroke[k - 1], stroke[k]];
    return [a[0] + u * (b[0] - a[0]), a[1] + u * (b[1] - a[1])];
  });
}

/** How far a place of the picture is from a trail, in units of the rig at the depth of the trail there, and beside which frame. */
function nearest(points: Float64Array, count: number, x: number, y: number): { off: number; frame: number } {
  let best = { off: Number.POSITIVE_INFINITY, frame: 0 };
  for (let k = 0; k < Math.max(1, count - 1); k++) {
    const a = 3 * k;
    const b = 3 * Math.min(count - 1, k + 1);
    const [dx, dy] = [points[b] - points[a], points[b + 1] - points[a + 1]];
    const square = dx * dx + dy * dy;
    const along = ((x - points[a]) * dx + (y - points[a + 1]) * dy) / square;
    const u = square > 0 ? Math.min(1, Math.max(0, along)) : 0;
    const height = points[a + 2] + u * (points[b + 2] - points[a + 2]);
    // What lies behind the one who looks is not seen.
    if (!(height > 0)) continue;
    const off = height * Math.hypot(points[a] + u * dx - x, points[a + 1] + u * dy - y);
    if (off < best.off) best = { off, frame: u < 0.5 ? k : Math.min(count - 1, k + 1) };
  }
  return best;
}
