/** Plain three-number vectors: the demo is made once, when the application is built. */
export type V = readonly [number, number, number];

export const add = (a: V, b: V): V => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const sub = (a: V, b: V): V => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: V, s: number): V => [a[0] * s, a[1] * s, a[2] * s];
export const dot = (a: V, b: V): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: V, b: V): V => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const length = (a: V): number => Math.hypot(a[0], a[1], a[2]);
export const normal = (a: V): V => scale(a, 1 / length(a));
export const mix = (a: V, b: V, t: number): V => add(scale(a, 1 - t), scale(b, t));
/** The same point on the other side of the body. */
export const mirror = (a: V): V => [-a[0], a[1], a[2]];
