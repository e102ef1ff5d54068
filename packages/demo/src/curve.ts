import { type Curve, newKey } from '@evlay/core';
import type { Ease } from '@evlay/core/curve';

/** A curve through frames and values; smooth where a key does not say how it goes on. */
export const curve = (
  ...keys: readonly (readonly [number, number] | readonly [number, number, Ease])[]
): Curve => ({
  keys: keys.map(([frame, value, ease]) => newKey(frame, value, ease)),
});
