import type { Scalar } from '../../curve/curve.js';
import { compileScalar, readScalar } from '../../curve/evaluate.js';
import type { TargetPlace, TargetTurn } from '../../layer/target.js';
import { DEGREES, quaternionToEuler } from '../../math/euler.js';
import { multiplyInverse, rotate } from '../../math/quaternion.js';
import type { Placed } from '../../rig/placed.js';

/** A place in the scene as one in the space of a joint, -1 for the world. */
export function wayInto(
  { matrices, orientations }: Placed,
  space: number,
  place: ArrayLike<number>,
): Float64Array {
  const way = Float64Array.from(place);
  if (space < 0) return way;
  for (let axis = 0; axis < 3; axis++) way[axis] -= matrices[16 * space + 12 + axis];
  const o = 4 * space;
  const back = [-orientations[o], -orientations[o + 1], -orientations[o + 2], orientations[o + 3]];
  rotate(way, 0, back, 0, way, 0);
  return way;
}

/** Three numbers as a place. */
export const placeOf = ([tx, ty, tz]: ArrayLike<number> & Iterable<number>): TargetPlace => ({ tx, ty, tz });

/** An orientation in the scene as the turn of a target in the space of a joint, -1 for the world; degrees. */
export function turnOf({ orientations }: Placed, space: number, orientation: Float64Array): TargetTurn {
  const q = Float64Array.from(orientation);
  if (space >= 0) multiplyInverse(q, 0, orientations, 4 * space, q, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'YXZ', q, 0);
  const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
  return { rx, ry, rz };
}

const room = new Float64Array(2);

/** The value of a number or curve at a frame by which its own keys are counted. */
export function scalarAtOwn(scalar: Scalar, own: number): number {
  room[0] = own;
  readScalar(compileScalar(scalar), room, 0, room, 1);
  return room[1];
}
