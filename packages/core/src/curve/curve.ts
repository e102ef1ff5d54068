import { newId } from '../id.js';

/** How a curve runs from a key to the next. */
export const EASES = ['hold', 'linear', 'smooth', 'bezier'] as const;
export type Ease = (typeof EASES)[number];

/** A handle's offset from its key: `[frames, value]`. */
export type Handle = readonly [number, number];

export interface Key {
  readonly id: string;
  /** Frame on the project's time base; need not be whole. */
  readonly frame: number;
  readonly value: number;
  /** How the curve runs to the next key. */
  readonly ease: Ease;
  readonly in?: Handle;
  readonly out?: Handle;
}

/** Keys at strictly increasing frames. Before the first and after the last the end value holds. */
export interface Curve {
  readonly keys: readonly Key[];
}

/** A number, or a curve over time. */
export type Scalar = number | Curve;

export const isCurve = (scalar: Scalar): scalar is Curve => typeof scalar !== 'number';

/** A frame this close to a key, an end of a span or a seam counts as on it. */
export const FRAME_TOLERANCE = 1e-6;

export function newKey(frame: number, value: number, ease: Ease = 'smooth'): Key {
  return { id: newId(), frame, value, ease };
}

/** The key on a frame, or undefined. */
export function keyAt(curve: Curve, frame: number): Key | undefined {
  return curve.keys.find((key) => Math.abs(key.frame - frame) <= FRAME_TOLERANCE);
}

/** Sets the value at a frame: a key that is there keeps its ease and handles, otherwise one is added. */
export function setKey(curve: Curve | undefined, frame: number, value: number, ease: Ease = 'smooth'): Curve {
  const keys = curve ? [...curve.keys] : [];
  const at = keys.findIndex((key) => Math.abs(key.frame - frame) <= FRAME_TOLERANCE);
  if (curve && at >= 0 && keys[at].value === value) return curve;
  if (at >= 0) keys[at] = { ...keys[at], value };
  else {
    const next = keys.findIndex((key) => key.frame > frame);
    keys.splice(next < 0 ? keys.length : next, 0, newKey(frame, value, ease));
  }
  return { keys };
}

/** Keys of two lists, each in order of frames, as one: those of `kept` that one of `added` lands on give way. */
export function mergedKeys(kept: readonly Key[], added: readonly Key[]): Key[] {
  const merged: Key[] = [];
  let k = 0;
  for (const key of added) {
    while (k < kept.length && kept[k].frame < key.frame - FRAME_TOLERANCE) merged.push(kept[k++]);
    while (k < kept.length && kept[k].frame <= key.frame + FRAME_TOLERANCE) k++;
    // Of two that land on one frame the later one stays.
    const last = merged.at(-1);
    if (last && last.frame >= key.frame - FRAME_TOLERANCE) merged.pop();
    merged.push(key);
  }
  for (; k < kept.length; k++) merged.push(kept[k]);
  return merged;
}

/** A curve whose values are times a factor, and then a number more. */
export const affine = ({ keys }: Curve, factor: number, added = 0): Curve => ({
  keys: keys.map((key) => ({
    ...key,
    value: added + factor * key.value,
    ...(key.in && { in: [key.in[0], factor * key.in[1]] as const }),
    ...(key.out && { out: [key.out[0], factor * key.out[1]] as const }),
  })),
});
