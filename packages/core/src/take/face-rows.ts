import type { FaceCurve } from './face-curve.js';

/**
 * Face curves of a take that are keyed together, as a file has them: their numbers side by side, a row a key; of cubic splines
 * three rows a key, the slopes that lead into it, the values, the slopes that lead out of it.
 */
export interface FaceRows extends Pick<FaceCurve, 'times' | 'interpolation'> {
  /** For each column the index of its curve among those of the take. */
  readonly curves: readonly number[];
  readonly values: Float64Array;
}

const known = new WeakMap<readonly FaceCurve[], readonly FaceRows[]>();

/** The face curves of a take by what is keyed together, laid out once for them. */
export function faceRowsOf(curves: readonly FaceCurve[]): readonly FaceRows[] {
  let rows = known.get(curves);
  if (!rows) {
    rows = laidOut(curves);
    known.set(curves, rows);
  }
  return rows;
}

function laidOut(curves: readonly FaceCurve[]): FaceRows[] {
  const together = new Map<Float64Array, Map<string, number[]>>();
  for (const [c, { times, interpolation }] of curves.entries()) {
    const byKind = together.get(times) ?? new Map<string, number[]>();
    together.set(times, byKind.set(interpolation, [...(byKind.get(interpolation) ?? []), c]));
  }
  return [...together].flatMap(([times, byKind]) =>
    [...byKind.values()].map((own): FaceRows => {
      const values = new Float64Array(own.length * curves[own[0]].values.length);
      for (const [column, c] of own.entries())
        for (const [row, value] of curves[c].values.entries()) values[row * own.length + column] = value;
      return { times, interpolation: curves[own[0]].interpolation, curves: own, values };
    }),
  );
}
