import type { Curve, Key } from './curve.js';
import { compileCurve, evaluateCurve } from './evaluate.js';

/** How many places are looked at in a frame when a simpler curve is compared with what it stands for. */
const LOOKS = 2;

/**
 * A curve with as few of its own keys as pass what it was no further off than `tolerance`, looked at every half frame.
 * Keys outside of `isPicked` all stay, as do the first and last of each run that is picked. Beginning with those, of
 * the keys beside the place that is missed by the most the nearer one is taken back, until none is missed (Douglas and
 * Peucker, 1973, with curves in place of lines).
 */
export function simplified(curve: Curve, isPicked: (key: Key) => boolean, tolerance: number): Curve {
  const { keys } = curve;
  const kept = keys.map(
    (key, i) =>
      !isPicked(key) || i === 0 || i === keys.length - 1 || !isPicked(keys[i - 1]) || !isPicked(keys[i + 1]),
  );
  if (kept.every(Boolean)) return curve;
  const wanted = compileCurve(curve);
  const places: number[] = [];
  for (let i = 0; i + 1 < keys.length; i++) {
    const [a, b] = [keys[i].frame, keys[i + 1].frame];
    const steps = Math.max(1, Math.ceil((b - a) * LOOKS));
    for (let k = 0; k < steps; k++) places.push(a + ((b - a) * k) / steps);
  }
  for (;;) {
    const now: Curve = { keys: keys.filter((_, i) => kept[i]) };
    const compiled = compileCurve(now);
    let [worst, most] = [Number.NaN, tolerance];
    for (const place of places) {
      const off = Math.abs(evaluateCurve(compiled, place) - evaluateCurve(wanted, place));
      if (off > most) [worst, most] = [place, off];
    }
    if (Number.isNaN(worst)) return now;
    let back = -1;
    for (let i = 0; i < keys.length; i++)
      if (!kept[i] && (back < 0 || Math.abs(keys[i].frame - worst) < Math.abs(keys[back].frame - worst)))
        back = i;
    if (back < 0) return now;
    kept[back] = true;
  }
}

/**
 * Angles in degrees of which no picked key is more than half a turn from the key before it: whole turns that a curve
 * makes between two keys are taken out, of that key and of all picked ones after it.
 */
export function unwound(curve: Curve, isPicked: (key: Key) => boolean): Curve {
  let turns = 0;
  let changed = false;
  const keys = curve.keys.map((key, i): Key => {
    if (!isPicked(key)) return key;
    const before = curve.keys[i - 1];
    const turn = before && isPicked(before) ? key.value - before.value : 0;
    if (Math.abs(turn) > 180 + 1e-9) turns += Math.round(turn / 360);
    changed ||= turns !== 0;
    return turns === 0 ? key : { ...key, value: key.value - 360 * turns };
  });
  return changed ? { keys } : curve;
}

/** A curve of which picked keys are `amount` of the way to their mean: 0 leaves them, 1 puts all on it, below 0 they part. */
export function flattened(curve: Curve, isPicked: (key: Key) => boolean, amount: number): Curve {
  const picked = curve.keys.filter(isPicked);
  const mean = picked.reduce((sum, key) => sum + key.value, 0) / picked.length;
  return scaledValues(curve, isPicked, 1 - amount, mean);
}

/** A curve of which the values of picked keys are scaled about a value, with their handles. */
export function scaledValues(
  curve: Curve,
  isPicked: (key: Key) => boolean,
  factor: number,
  about: number,
): Curve {
  if (factor === 1) return curve;
  return {
    keys: curve.keys.map((key): Key => {
      if (!isPicked(key)) return key;
      return {
        ...key,
        value: about + (key.value - about) * factor,
        ...(key.in && { in: [key.in[0], key.in[1] * factor] }),
        ...(key.out && { out: [key.out[0], key.out[1] * factor] }),
      };
    }),
  };
}
