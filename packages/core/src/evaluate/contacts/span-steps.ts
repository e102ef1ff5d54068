import type { CompiledHeld } from './contact-step.js';

/** At how many frames of a span there is a correction: one a frame, and one at its end. */
export const stepsOf = ({ spans }: CompiledHeld, k: number): number =>
  Math.ceil(spans[k][1] - spans[k][0]) + 1;

/** The step of a span in which a frame lies: all are a frame long but for the last, which may be shorter. */
export const stepAt = (count: number, at: number): number => Math.min(Math.floor(at), Math.max(0, count - 2));
