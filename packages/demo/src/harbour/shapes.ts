import {
  add,
  cross,
  sub as minus,
  normal as normalized,
  scale as times,
  type V as Vector,
} from '../vector.js';

/** Triangles with a colour for each of their corners, three numbers a corner; each triangle has corners of its own. */
export interface Shape {
  readonly positions: number[];
  readonly normals: number[];
  readonly colors: number[];
}

export const newShape = (): Shape => ({ positions: [], normals: [], colors: [] });

/** A colour in linear light, made of the usual `#rrggbb`. */
export const colour = (hex: string): Vector =>
  [1, 3, 5].map((at) => {
    const value = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
  }) as unknown as Vector;

function triangle(
  shape: Shape,
  a: Vector,
  b: Vector,
  c: Vector,
  color: Vector,
  normals?: readonly Vector[],
): void {
  const flat = normalized(cross(minus(b, a), minus(c, a)));
  for (const [k, corner] of [a, b, c].entries()) {
    shape.positions.push(...corner);
    shape.normals.push(...(normals?.[k] ?? flat));
    shape.colors.push(...color);
  }
}

export function quad(shape: Shape, a: Vector, b: Vector, c: Vector, d: Vector, color: Vector): void {
  triangle(shape, a, b, c, color);
  triangle(shape, a, c, d, color);
}

/** A box between two corners, without its lower side. */
export function block(shape: Shape, low: Vector, high: Vector, color: Vector): void {
  const [x, y, z] = low;
  const [u, v, w] = high;
  quad(shape, [x, v, z], [x, v, w], [u, v, w], [u, v, z], color);
  quad(shape, [x, y, w], [u, y, w], [u, v, w], [x, v, w], color);
  quad(shape, [u, y, z], [x, y, z], [x, v, z], [u, v, z], color);
  quad(shape, [u, y, w], [u, y, z], [u, v, z], [u, v, w], color);
  quad(shape, [x, y, z], [x, y, w], [x, v, w], [x, v, z], color);
}

/** What comes of a profile of `[radius, height]` that goes round the vertical through a place. */
export function turned(
  shape: Shape,
  [x, y, z]: Vector,
  profile: readonly (readonly [number, number])[],
  color: Vector,
  sides = 14,
): void {
  const at = ([radius, height]: readonly [number, number], k: number): Vector => {
    const angle = (2 * Math.PI * k) / sides;
    return [x + radius * Math.cos(angle), y + height, z - radius * Math.sin(angle)];
  };
  const out = (a: readonly [number, number], b: readonly [number, number], k: number): Vector => {
    const angle = (2 * Math.PI * k) / sides;
    const [rise, wide] = [b[1] - a[1], b[0] - a[0]];
    return normalized([rise * Math.cos(angle), -wide, -rise * Math.sin(angle)]);
  };
  for (let p = 1; p < profile.length; p++)
    for (let k = 0; k < sides; k++) {
      const [a, b] = [profile[p - 1], profile[p]];
      const [m, n] = [out(a, b, k), out(a, b, k + 1)];
      triangle(shape, at(a, k), at(a, k + 1), at(b, k + 1), color, [m, n, n]);
      triangle(shape, at(a, k), at(b, k + 1), at(b, k), color, [m, n, m]);
    }
}

/** A round bar along a line of places. */
export function bar(shape: Shape, line: readonly Vector[], radius: number, color: Vector, sides = 8): void {
  const rings = line.map((place, i) => {
    const ahead = normalized(minus(line[Math.min(i + 1, line.length - 1)], line[Math.max(i - 1, 0)]));
    const side = normalized(cross(ahead, Math.abs(ahead[1]) > 0.9 ? [1, 0, 0] : [0, 1, 0]));
    const up = cross(side, ahead);
    return Array.from({ length: sides }, (_, k) => {
      const angle = (2 * Math.PI * k) / sides;
      const normal = add(times(side, Math.cos(angle)), times(up, Math.sin(angle)));
      return { normal, at: add(place, times(normal, radius)) };
    });
  });
  for (let i = 1; i < rings.length; i++)
    for (let k = 0; k < sides; k++) {
      const [a, b] = [rings[i - 1][k], rings[i - 1][(k + 1) % sides]];
      const [c, d] = [rings[i][(k + 1) % sides], rings[i][k]];
      triangle(shape, a.at, c.at, b.at, color, [a.normal, c.normal, b.normal]);
      triangle(shape, a.at, d.at, c.at, color, [a.normal, d.normal, c.normal]);
    }
}

/** A sheet of places `at(u, v)`, both from 0 to 1, seen from the side to which `u` across `v` points; smooth to the light. */
export function sheet(
  shape: Shape,
  [across, along]: readonly [number, number],
  at: (u: number, v: number) => Vector,
  color: Vector,
): void {
  const small = 1e-3;
  const normalAt = (u: number, v: number): Vector => {
    const [a, b, c, d] = [at(u - small, v), at(u + small, v), at(u, v - small), at(u, v + small)];
    return normalized(cross(minus(b, a), minus(d, c)));
  };
  for (let i = 0; i < across; i++)
    for (let k = 0; k < along; k++) {
      const corners = [
        [i, k],
        [i + 1, k],
        [i + 1, k + 1],
        [i, k + 1],
      ].map(([p, q]) => [p / across, q / along] as const);
      const [a, b, c, d] = corners.map(([u, v]) => at(u, v));
      // At the ends a sheet may come together in one place.
      const [m, n, o, p] = corners.map(([u, v]) =>
        normalAt(Math.min(0.995, Math.max(0.005, u)), Math.min(0.995, Math.max(0.005, v))),
      );
      triangle(shape, a, b, c, color, [m, n, o]);
      triangle(shape, a, c, d, color, [m, o, p]);
    }
}
