/** Layers that overlap are told apart by the moments at which one of them counts alone, or nearly so. */

/** Parts of the largest row: below the first a row is not looked at; by the second weights may be below 0. */
const HEARD = 0.15;
const BELOW = 0.04;
/** Rows that are averaged for a layer that counts alone: those so near to the farthest, as a part of its distance. */
const NEAR = 0.03;

/**
 * Takes rows, numbers over time in a space of `r` dimensions, apart into `r` directions of which every row is a sum with weights
 * that are not negative: the edges of the cone in which the rows lie. They are found one after the other as what is farthest
 * from those before (the successive projection of Araújo and others, *The Successive Projections Algorithm for Variable
 * Selection*, 2001, on rows scaled to one plane). Returns the directions, `r` numbers each, and for each a weight at every
 * row; undefined where the rows lie in no such cone, because something goes both ways.
 */
export function unmixed(
  rows: readonly Float64Array[],
  r: number,
): { directions: number[][]; weights: Float64Array[] } | undefined {
  const mean = Array.from({ length: r }, (_, c) => rows.reduce((sum, row) => sum + row[c], 0));
  const length = Math.hypot(...mean);
  if (!(length > 0)) return undefined;
  const along = (row: ArrayLike<number>) =>
    mean.reduce((sum, value, c) => sum + (value / length) * row[c], 0);
  const sizes = rows.map((row) => Math.hypot(...row));
  const heard = HEARD * Math.max(...sizes);
  const loud = rows.filter((_, s) => sizes[s] >= heard);
  if (loud.some((row) => along(row) <= 0)) return undefined;
  // On the plane in which every row has the same share of the mean direction the cone is a simplex.
  const points = loud.map((row) => Array.from(row, (value) => value / along(row)));
  const centre = Array.from(
    { length: r },
    (_, c) => points.reduce((sum, p) => sum + p[c], 0) / points.length,
  );
  let rest = points.map((point) => point.map((value, c) => value - centre[c]));
  const directions: number[][] = [];
  let origin: number[] | undefined;
  for (let k = 0; k < r; k++) {
    const far = rest.map((way) => Math.hypot(...way));
    const most = Math.max(...far);
    if (!(most > 1e-9)) return undefined;
    const best = far.indexOf(most);
    const near = points.filter(
      (_, i) => Math.hypot(...rest[i].map((value, c) => value - rest[best][c])) <= NEAR * most,
    );
    const vertex = Array.from({ length: r }, (_, c) => near.reduce((sum, p) => sum + p[c], 0) / near.length);
    directions.push(vertex);
    if (!origin) {
      // From the first corner on, what counts is the way from it.
      origin = vertex;
      rest = points.map((point) => point.map((value, c) => value - vertex[c]));
      continue;
    }
    const way = rest[best].map((value) => value / most);
    rest = rest.map((one) => {
      const part = one.reduce((sum, value, c) => sum + value * way[c], 0);
      return one.map((value, c) => value - part * way[c]);
    });
  }
  const weights = weightsIn(rows, directions);
  if (!weights) return undefined;
  for (const own of weights) {
    const peak = Math.max(...own);
    if (own.some((value) => value < -BELOW * peak)) return undefined;
  }
  return { directions, weights };
}

/** The weights with which directions sum to rows, by elimination with pivots; undefined where directions are not independent. */
function weightsIn(
  rows: readonly Float64Array[],
  directions: readonly (readonly number[])[],
): Float64Array[] | undefined {
  const r = directions.length;
  const matrix = Array.from({ length: r }, (_, c) => [
    ...directions.map((direction) => direction[c]),
    ...Array.from({ length: r }, (_, k) => (k === c ? 1 : 0)),
  ]);
  for (let k = 0; k < r; k++) {
    let pivot = k;
    for (let i = k + 1; i < r; i++) if (Math.abs(matrix[i][k]) > Math.abs(matrix[pivot][k])) pivot = i;
    if (Math.abs(matrix[pivot][k]) < 1e-9) return undefined;
    [matrix[k], matrix[pivot]] = [matrix[pivot], matrix[k]];
    const by = matrix[k][k];
    matrix[k] = matrix[k].map((value) => value / by);
    for (let i = 0; i < r; i++) {
      if (i === k) continue;
      const factor = matrix[i][k];
      matrix[i] = matrix[i].map((value, c) => value - factor * matrix[k][c]);
    }
  }
  return directions.map((_, k) =>
    Float64Array.from(rows, (row) =>
      Array.from(row).reduce((sum, value, c) => sum + matrix[k][r + c] * value, 0),
    ),
  );
}
