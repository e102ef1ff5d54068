import { add, dot, length, scale, sub, type V } from './vector.js';

/** Signed distance in metres from a point to a surface; negative inside. */
export type Distance = (p: V) => number;

/** A limb: the points within a radius of a segment, the radius running from `ra` at `a` to `rb` at `b`. */
export function limb(a: V, b: V, ra: number, rb = ra): Distance {
  const along = sub(b, a);
  const squared = dot(along, along);
  return (p) => {
    const t = squared === 0 ? 0 : Math.min(1, Math.max(0, dot(sub(p, a), along) / squared));
    return length(sub(p, add(a, scale(along, t)))) - (ra + (rb - ra) * t);
  };
}

/** An ellipsoid; the distance is right on the surface and good enough near it. */
export function ellipsoid(centre: V, radii: V): Distance {
  return (p) => {
    const d = sub(p, centre);
    const k = length([d[0] / radii[0], d[1] / radii[1], d[2] / radii[2]]);
    const g = length([d[0] / radii[0] ** 2, d[1] / radii[1] ** 2, d[2] / radii[2] ** 2]);
    return g < 1e-9 ? -Math.min(...radii) : (k * (k - 1)) / g;
  };
}

/** An upright cone with rounded edges, from radius `ra` at `a` to `rb` straight above or below. */
export function cone(a: V, height: number, ra: number, rb: number, round: number, squash = 1): Distance {
  return (p) => {
    const x = p[0] - a[0];
    const z = (p[2] - a[2]) / squash;
    const r = Math.hypot(x, z);
    const t = Math.min(1, Math.max(0, (p[1] - a[1]) / height));
    const slope = (rb - ra) / height;
    const side = (r - (ra + (rb - ra) * t) + round) / Math.hypot(1, slope);
    const cap = Math.abs(p[1] - a[1] - height / 2) - Math.abs(height) / 2 + round;
    return (
      (Math.min(Math.max(side, cap), 0) + Math.hypot(Math.max(side, 0), Math.max(cap, 0)) - round) *
      Math.min(1, squash)
    );
  };
}

/** A ring around the upright axis. */
export function ring(centre: V, radius: number, thick: number, axis: 0 | 1 | 2 = 1): Distance {
  return (p) => {
    const d = sub(p, centre);
    const across = d.filter((_, k) => k !== axis);
    return Math.hypot(Math.hypot(across[0], across[1]) - radius, d[axis]) - thick;
  };
}

/** Joins shapes with a seam rounded over `k` metres. */
export function blend(k: number, ...shapes: Distance[]): Distance {
  return (p) => {
    let d = shapes[0](p);
    for (let i = 1; i < shapes.length; i++) {
      const e = shapes[i](p);
      const h = Math.max(0, k - Math.abs(d - e)) / k;
      d = Math.min(d, e) - h * h * k * 0.25;
    }
    return d;
  };
}
