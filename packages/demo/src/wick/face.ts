import type { FaceChannel } from '@evlay/core/rig';
import type { Morph } from '../solid.js';
import { add, scale, sub, type V } from '../vector.js';

/** Wick's face: what of his head moves, in metres from the joint of the head, at the size of life. His left is +x. */

const EYE: V = [0.031, 0.09, 0.0885];
const BROW: V = [0.031, 0.114, 0.09];
const WHISKER: V = [0.036, 0.032, 0.076];
const CHEEK: V = [0.046, 0.056, 0.06];
const CHIN: V = [0, -0.004, 0.06];
export const MOUTH: V = [0, 0.016, 0.0795];
/** Half of the mouth's width, height and depth. */
export const LIPS: V = [0.021, 0.0034, 0.008];

/** What of the head a vertex belongs to. */
export type FacePart = 'skin' | 'hair' | 'eyes' | 'mouth';

/** 1 at a place, and smoothly nothing at a distance from it. */
function near(q: V, [x, y, z]: V, reach: number, s = 1): number {
  const squared = ((q[0] - s * x) ** 2 + (q[1] - y) ** 2 + (q[2] - z) ** 2) / reach ** 2;
  return squared < 1 ? (1 - squared) ** 2 : 0;
}

type Move = (q: V, part: FacePart) => V;
const NONE: V = [0, 0, 0];

/** What moves on one side; `s` is 1 on the left. */
const SIDED: Readonly<Record<string, (s: number) => Move>> = {
  browUp: (s) => (q, part) =>
    part === 'hair' || part === 'skin' ? scale([0, 0.013, 0.001], near(q, BROW, 0.034, s)) : NONE,
  browDown: (s) => (q, part) =>
    part === 'hair' || part === 'skin' ? scale([-0.005 * s, -0.009, 0.003], near(q, BROW, 0.034, s)) : NONE,
  blink: (s) => (q, part) =>
    part === 'eyes' && q[0] * s > 0 ? [0, -0.86 * (q[1] - EYE[1]) - 0.004, 0.001] : NONE,
  smile: (s) => (q, part) => {
    if (part === 'eyes') return q[0] * s > 0 && q[1] < EYE[1] ? [0, 0.3 * (EYE[1] - q[1]), 0] : NONE;
    if (part === 'mouth') return scale([0.009 * s, 0.011, -0.006], Math.max(0, (q[0] * s) / LIPS[0]) ** 1.5);
    return add(
      scale([0.007 * s, 0.012, -0.003], near(q, WHISKER, 0.034, s)),
      part === 'skin' ? scale([0.003 * s, 0.007, 0.004], near(q, CHEEK, 0.032, s)) : NONE,
    );
  },
};

/** How far down a place of the mouth is, from 0 at its upper edge to 1 at its lower one. */
const lower = (q: V): number => Math.min(1, Math.max(0, 0.5 - (q[1] - MOUTH[1]) / (2 * LIPS[1])));

const MIDDLE: Readonly<Record<string, Move>> = {
  mouthOpen: (q, part) => {
    if (part === 'mouth') return [-0.12 * q[0], -0.021 * lower(q), -0.003 * lower(q)];
    return part === 'skin' ? scale([0, -0.016, -0.003], near(q, CHIN, 0.042)) : NONE;
  },
  mouthRound: (q, part) => {
    if (part === 'mouth') return [-0.55 * q[0], -0.011 * lower(q) + 0.003 * (1 - lower(q)), 0.003];
    const end = (s: number) => scale([-0.011 * s, -0.001, 0.006], near(q, WHISKER, 0.03, s));
    return part === 'hair' ? add(end(1), end(-1)) : NONE;
  },
};

const MOVES: readonly (readonly [string, Move])[] = [
  ...Object.entries(SIDED).flatMap(([name, move]) => [
    [`${name}Left`, move(1)] as const,
    [`${name}Right`, move(-1)] as const,
  ]),
  ...Object.entries(MIDDLE),
];

/** Wick's face channels, as his file has them. */
export const FACES: readonly FaceChannel[] = MOVES.map(([name]) => ({ name, rest: 0 }));

/** The morph targets of a part of the head that stands on a place and is so many times as large as life. */
export const morphsOf = (part: FacePart, at: V, size: number): Morph[] =>
  MOVES.map(([name, move]) => ({
    name,
    by: (p) => scale(move(scale(sub(p, at), 1 / size), part), size),
  }));
