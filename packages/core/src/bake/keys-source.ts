import type { KeysSource } from '../keys/find-keys.js';
import type { BlockBaker } from './blocks.js';
import type { BakePlan } from './plan.js';
import type { Shaping } from './to-file.js';

/** The samples of a plan, evaluated part after part as keys are found for them; `shape` changes them on their way. */
export const keysSource = (
  { count, rate }: BakePlan,
  bakers: readonly BlockBaker[],
  shape?: Shaping,
): KeysSource => ({ count, interval: 1 / rate, bring: bakers, ...(shape && { shape }) });
