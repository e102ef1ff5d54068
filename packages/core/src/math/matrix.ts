import { normalize } from './quaternion.js';

/** An affine transform as a column-major 4×4 matrix of 16 numbers. For set-up work: every function returns a new one. */
export type Matrix = readonly number[];

export const IDENTITY: Matrix = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** Translation `(x, y, z)`, rotation `(x, y, z, w)` and scale of a transform `T · R · S`. */
export interface Transform {
  readonly translation: readonly [number, number, number];
  readonly rotation: readonly [number, number, number, number];
  readonly scale: readonly [number, number, number];
}

/** `T · R · S`. */
export function composeMatrix({ translation: t, rotation: [x, y, z, w], scale: s }: Transform): Matrix {
  return [
    (1 - 2 * (y * y + z * z)) * s[0],
    2 * (x * y + w * z) * s[0],
    2 * (x * z - w * y) * s[0],
    0,
    2 * (x * y - w * z) * s[1],
    (1 - 2 * (x * x + z * z)) * s[1],
    2 * (y * z + w * x) * s[1],
    0,
    2 * (x * z + w * y) * s[2],
    2 * (y * z - w * x) * s[2],
    (1 - 2 * (x * x + y * y)) * s[2],
    0,
    ...t,
    1,
  ];
}

/** `a · b`: first `b`, then `a`. */
export function multiplyMatrices(a: Matrix, b: Matrix): Matrix {
  const out = new Array<number>(16);
  for (let column = 0; column < 4; column++)
    for (let row = 0; row < 4; row++) {
      let sum = 0;
      for (let k = 0; k < 4; k++) sum += a[4 * k + row] * b[4 * column + k];
      out[4 * column + row] = sum;
    }
  return out;
}

/** The inverse of an affine transform; not a number where it has none. */
export function invertMatrix(m: Matrix): Matrix {
  const [a, b, c, , d, e, f, , g, h, i, , x, y, z] = m;
  const A = e * i - f * h;
  const B = f * g - d * i;
  const C = d * h - e * g;
  const k = 1 / (a * A + b * B + c * C);
  const linear = [
    A * k,
    (c * h - b * i) * k,
    (b * f - c * e) * k,
    B * k,
    (a * i - c * g) * k,
    (c * d - a * f) * k,
    C * k,
    (b * g - a * h) * k,
    (a * e - b * d) * k,
  ];
  const back = [0, 1, 2].map((row) => -(linear[row] * x + linear[3 + row] * y + linear[6 + row] * z));
  return [...linear.slice(0, 3), 0, ...linear.slice(3, 6), 0, ...linear.slice(6, 9), 0, ...back, 1];
}

/**
 * Takes a transform apart. Undefined where it is no `T · R · S` with scales above 0: where it shears, mirrors, or
 * makes something flat. The quaternion comes from the matrix by Shepperd's method (Journal of Guidance and Control,
 * 1978).
 */
export function decomposeMatrix(m: Matrix): Transform | undefined {
  const scale = [0, 4, 8].map((o) => Math.hypot(m[o], m[o + 1], m[o + 2])) as [number, number, number];
  if (!scale.every((s) => s > 1e-9)) return undefined;
  const at = (row: number, column: number) => m[4 * column + row] / scale[column];
  const columns = [0, 1, 2].map((k) => [at(0, k), at(1, k), at(2, k)]);
  const dots = [
    [0, 1],
    [0, 2],
    [1, 2],
  ].map(([i, j]) => columns[i].reduce((sum, value, k) => sum + value * columns[j][k], 0));
  if (dots.some((dot) => !(Math.abs(dot) < 1e-4))) return undefined;
  const determinant =
    at(0, 0) * (at(1, 1) * at(2, 2) - at(1, 2) * at(2, 1)) -
    at(0, 1) * (at(1, 0) * at(2, 2) - at(1, 2) * at(2, 0)) +
    at(0, 2) * (at(1, 0) * at(2, 1) - at(1, 1) * at(2, 0));
  if (determinant < 0) return undefined;
  const trace = at(0, 0) + at(1, 1) + at(2, 2);
  const choices = [at(0, 0), at(1, 1), at(2, 2), trace];
  const q = [0, 0, 0, 0];
  const k = choices.indexOf(Math.max(...choices));
  if (k === 3) {
    q[3] = 1 + trace;
    for (let i = 0; i < 3; i++) q[i] = at((i + 2) % 3, (i + 1) % 3) - at((i + 1) % 3, (i + 2) % 3);
  } else {
    const [i, j, l] = [k, (k + 1) % 3, (k + 2) % 3];
    q[i] = 1 + at(i, i) - at(j, j) - at(l, l);
    q[j] = at(j, i) + at(i, j);
    q[l] = at(l, i) + at(i, l);
    q[3] = at(l, j) - at(j, l);
  }
  normalize(q, 0);
  return {
    translation: [m[12], m[13], m[14]],
    rotation: q as [number, number, number, number],
    scale,
  };
}
