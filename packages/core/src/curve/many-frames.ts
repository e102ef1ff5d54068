import { FRAME_TOLERANCE } from './curve.js';
import { type CurveRows, type Grid, ROW, readRow, segmentAt } from './evaluate.js';

const spot = new Float64Array(2);

/**
 * Finds in which segment each of `count` frames lies, and how far into it as {@link locateIn} says, and writes both from
 * index `o` on. Frames that follow one another are found at once.
 */
export function locateAll(
  grid: Grid,
  frames: Float64Array,
  count: number,
  segments: Int32Array,
  since: Float64Array,
  o: number,
): void {
  const last = grid.length - 1;
  let segment = 0;
  for (let i = 0; i < count; i++) {
    const frame = frames[i];
    const reached = frame + FRAME_TOLERANCE;
    if (reached < grid[segment] || (segment < last && grid[segment + 1] <= reached))
      segment = segmentAt(grid, frames, i);
    const x = frame - grid[segment];
    segments[o + i] = segment;
    since[o + i] = x > FRAME_TOLERANCE && segment < last ? x : 0;
  }
}

/** Writes the value of a curve at each of `count` frames that {@link locateAll} has found. Its rows begin at `first`. */
export function readAll(
  curves: CurveRows,
  first: number,
  grid: Grid,
  segments: Int32Array,
  since: Float64Array,
  o: number,
  count: number,
  out: Float64Array,
  to: number,
): void {
  const { rows, handles } = curves;
  let i = 0;
  while (i < count) {
    const segment = segments[o + i];
    const row = ROW * (first + segment);
    const v = rows[row];
    const a = rows[row + 1];
    const b = rows[row + 2];
    const c = rows[row + 3];
    const bends = handles !== undefined && Number.isNaN(a);
    for (; i < count && segments[o + i] === segment; i++) {
      const x = since[o + i];
      if (!bends) out[to + i] = v + x * (a + x * (b + x * c));
      else {
        spot[0] = x;
        spot[1] = grid[segment + 1] - grid[segment];
        readRow(curves, first + segment, spot, 0, out, to + i);
      }
    }
  }
}
