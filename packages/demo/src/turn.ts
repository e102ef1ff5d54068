import { multiply, normalize, rotate } from '@evlay/core/math';
import { cross, normal, type V } from './vector.js';

/** Unit quaternions as plain arrays `(x, y, z, w)`. */
export type Turn = number[];

/** A turn about an axis by degrees. */
export function about(axis: V, degrees: number): Turn {
  const [x, y, z] = normal(axis);
  const half = (degrees * Math.PI) / 360;
  const s = Math.sin(half);
  return [x * s, y * s, z * s, Math.cos(half)];
}

/** `a`, then `b`, then ... counted from the right, as matrices are written. */
export function chain(...turns: Turn[]): Turn {
  return turns.reduce((product, turn) => {
    const out = [0, 0, 0, 1];
    multiply(out, 0, product, 0, turn, 0);
    return out;
  });
}

export const inverse = ([x, y, z, w]: Turn): Turn => [-x, -y, -z, w];

export function turned(q: Turn, v: V): V {
  const out = [0, 0, 0];
  rotate(out, 0, q, 0, [...v], 0);
  return out as unknown as V;
}

/** The turn whose axes are `along` (its y) and, as near as may be, `hinge` (its x). */
function frame(along: V, hinge: V): Turn {
  const y = normal(along);
  const z = normal(cross(hinge, y));
  const x = cross(y, z);
  const q = [y[2] - z[1], z[0] - x[2], x[1] - y[0], 1 + x[0] + y[1] + z[2]];
  normalize(q, 0);
  return q;
}

/** The turn that takes a bone with its hinge from rest to another direction and hinge. */
export function aim(rest: V, restHinge: V, to: V, hinge: V): Turn {
  return chain(frame(to, hinge), inverse(frame(rest, restHinge)));
}
