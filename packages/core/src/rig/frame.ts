import type { Numbers } from '../math/numbers.js';
import type { Frame } from './joint.js';

/**
 * What stands in the frame of a character, as it is in the scene, and back: a place `p` in it lies at `at + scale · turn · p`.
 * All of it is done in place, on an array of numbers from an offset on.
 */

/** A global transform in a frame, a column-major 4×4 matrix, becomes one in the scene. */
export function placeIn({ at, turn, scale }: Frame, matrix: Float64Array, o: number): void {
  const cos = scale * (turn[3] * turn[3] - turn[1] * turn[1]);
  const sin = scale * 2 * turn[3] * turn[1];
  for (let column = o; column < o + 16; column += 4) {
    const x = matrix[column];
    const z = matrix[column + 2];
    matrix[column] = cos * x + sin * z;
    matrix[column + 1] *= scale;
    matrix[column + 2] = cos * z - sin * x;
  }
  for (let axis = 0; axis < 3; axis++) matrix[o + 12 + axis] += at[axis];
}

/** A place in a frame becomes one in the scene. */
export function moveIn({ at, turn, scale }: Frame, place: Numbers, o: number): void {
  const cos = scale * (turn[3] * turn[3] - turn[1] * turn[1]);
  const sin = scale * 2 * turn[3] * turn[1];
  const x = place[o];
  const z = place[o + 2];
  place[o] = at[0] + cos * x + sin * z;
  place[o + 1] = at[1] + scale * place[o + 1];
  place[o + 2] = at[2] + cos * z - sin * x;
}

/** A place in the scene becomes one in a frame. */
export function moveOut({ at, turn, scale }: Frame, place: Numbers, o: number): void {
  const cos = (turn[3] * turn[3] - turn[1] * turn[1]) / scale;
  const sin = (2 * turn[3] * turn[1]) / scale;
  const x = place[o] - at[0];
  const z = place[o + 2] - at[2];
  place[o] = cos * x - sin * z;
  place[o + 1] = (place[o + 1] - at[1]) / scale;
  place[o + 2] = cos * z + sin * x;
}

/** An orientation in a frame becomes one in the scene. */
export const turnIn = ({ turn }: Frame, q: Numbers, o: number): void => turnAboutY(turn[1], turn[3], q, o);

/** An orientation in the scene becomes one in a frame. */
export const turnOut = ({ turn }: Frame, q: Numbers, o: number): void => turnAboutY(-turn[1], turn[3], q, o);

/** The product `(0, y, 0, w) · q`. */
function turnAboutY(y: number, w: number, q: Numbers, o: number): void {
  const [a, b, c, d] = [q[o], q[o + 1], q[o + 2], q[o + 3]];
  q[o] = w * a + y * c;
  q[o + 1] = w * b + y * d;
  q[o + 2] = w * c - y * a;
  q[o + 3] = w * d - y * b;
}
