import { newKey } from '@evlay/core';
import { compileCurve, evaluateCurve } from '@evlay/core/curve';

/**
 * A value over one cycle, from phase 0 to 1 and round again, through `[phase, value]` points by smooth curves.
 */
export function cycle(...points: readonly (readonly [number, number])[]): (phase: number) => number {
  const keys = [-1, 0, 1].flatMap((turn) => points.map(([phase, value]) => newKey(phase + turn, value)));
  const curve = compileCurve({ keys });
  return (phase) => evaluateCurve(curve, phase - Math.floor(phase));
}

/** A cosine of the given height that peaks at phase `at`, `times` times a cycle. */
export const wave =
  (height: number, at: number, times = 1) =>
  (phase: number): number =>
    height * Math.cos(2 * Math.PI * times * (phase - at));
