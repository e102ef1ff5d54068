import { newId } from '../id.js';
import { type Curve, FRAME_TOLERANCE, type Key } from './curve.js';
import { insertKey, pinSegment } from './handles.js';

/**
 * The part of a curve between two frames, with keys on both: its segments there are what they were, whatever comes beside
 * them. Its keys have new ids.
 */
export function cutCurve(curve: Curve, from: number, to: number): Curve {
  if (curve.keys.length === 0) return curve;
  const keys = [...insertKey(insertKey(curve, from), to).keys];
  const on = (frame: number) => keys.findIndex((key) => Math.abs(key.frame - frame) <= FRAME_TOLERANCE);
  const [first, last] = [on(from), on(to)];
  pinSegment(keys, first);
  if (last > first) pinSegment(keys, last - 1);
  return {
    keys: keys.slice(first, last + 1).map((key, k): Key => {
      const { in: into, out, ...plain } = key;
      return {
        ...plain,
        id: newId(),
        ...(into && k > 0 && { in: into }),
        ...(out && k < last - first && { out }),
      };
    }),
  };
}
