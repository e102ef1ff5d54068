/** Eigenvalues of a symmetric matrix, the largest first, with unit eigenvectors. */
export interface Eigen {
  readonly values: Float64Array;
  /** Vector `k` has numbers `k · n` to `(k + 1) · n`. */
  readonly vectors: Float64Array;
}

/** Rotations are skipped where the entry is smaller than this part of the diagonal's. */
const SMALL = 1e-15;
const MOST_SWEEPS = 60;

/**
 * Eigenvalues and eigenvectors of a symmetric matrix of `n` rows, by Jacobi's cyclic rotations (Golub and Van Loan, *Matrix
 * Computations*, 8.5). The matrix is row after row and is not changed.
 */
export function symmetricEigen(matrix: Float64Array, n: number): Eigen {
  const a = matrix.slice();
  const v = new Float64Array(n * n);
  for (let i = 0; i < n; i++) v[i * n + i] = 1;
  for (let sweep = 0; sweep < MOST_SWEEPS; sweep++) {
    let rotated = false;
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        const off = a[p * n + q];
        const size = Math.sqrt(Math.abs(a[p * n + p] * a[q * n + q]));
        if (Math.abs(off) <= SMALL * size || Math.abs(off) < 1e-300) continue;
        rotated = true;
        const theta = (a[q * n + q] - a[p * n + p]) / (2 * off);
        const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
        const c = 1 / Math.sqrt(t * t + 1);
        rotate(a, v, n, p, q, c, t * c);
      }
    if (!rotated) break;
  }
  const order = Array.from({ length: n }, (_, i) => i).sort((i, j) => a[j * n + j] - a[i * n + i]);
  const vectors = new Float64Array(n * n);
  for (const [k, column] of order.entries())
    for (let i = 0; i < n; i++) vectors[k * n + i] = v[i * n + column];
  return { values: Float64Array.from(order, (i) => a[i * n + i]), vectors };
}

/** One rotation in the plane of `p` and `q`, of the matrix from both sides and of the vectors. */
function rotate(
  a: Float64Array,
  v: Float64Array,
  n: number,
  p: number,
  q: number,
  c: number,
  s: number,
): void {
  for (let k = 0; k < n; k++) {
    const [kp, kq] = [a[k * n + p], a[k * n + q]];
    a[k * n + p] = c * kp - s * kq;
    a[k * n + q] = s * kp + c * kq;
  }
  for (let k = 0; k < n; k++) {
    const [pk, qk] = [a[p * n + k], a[q * n + k]];
    a[p * n + k] = c * pk - s * qk;
    a[q * n + k] = s * pk + c * qk;
    const [vp, vq] = [v[k * n + p], v[k * n + q]];
    v[k * n + p] = c * vp - s * vq;
    v[k * n + q] = s * vp + c * vq;
  }
}
