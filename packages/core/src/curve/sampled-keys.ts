import { type Ease, type Key, newKey } from './curve.js';

/**
 * Keys of numbers that were worked out at frames, which ascend: at the first, at the last, where they turn, and between
 * so that no two are more than `gap` frames apart. With a gap of 0 every number is a key.
 */
export function keysOfSamples(
  frames: ArrayLike<number>,
  values: ArrayLike<number>,
  gap: number,
  ease: Ease = 'smooth',
): Key[] {
  const keys: Key[] = [];
  const last = frames.length - 1;
  let before = Number.NEGATIVE_INFINITY;
  for (let i = 0; i <= last; i++) {
    const turns =
      i > 0 &&
      i < last &&
      (values[i] - values[i - 1]) * (values[i + 1] - values[i]) <= 0 &&
      values[i] !== values[i - 1];
    const next = i < last ? frames[i + 1] : frames[i];
    if (i > 0 && i < last && !turns && gap > 0 && next - before <= gap) continue;
    keys.push(newKey(frames[i], values[i], ease));
    before = frames[i];
  }
  return keys;
}
