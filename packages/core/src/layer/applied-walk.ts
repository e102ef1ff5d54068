import { usualWalk, type Walk } from '../motion/gait.js';
import { type AppliedOn, standingOf } from './applied.js';

/** The numbers by which a layer walks. */
export interface LayerWalk extends Walk {
  /** Whether the character goes along the floor; else it walks in place. */
  readonly travels: boolean;
}

/** By which numbers a layer walks, as long as its keys are those that they made; undefined where it does not. */
export function walkOf(layer: AppliedOn): LayerWalk | undefined {
  const numbers = standingOf(layer).findLast(({ kind }) => kind === 'walk')?.numbers;
  // What a file leaves out is as usual.
  return numbers && { ...usualWalk(1, 2), ...numbers, travels: Boolean(numbers.travels) };
}
