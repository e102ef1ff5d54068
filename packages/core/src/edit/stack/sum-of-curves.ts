import { type Curve, FRAME_TOLERANCE, type Key, keyAt } from '../../curve/curve.js';
import { curveAt } from '../../curve/evaluate.js';
import { insertKey } from '../../curve/handles.js';
import { newId } from '../../id.js';

/**
 * The sum of two curves, with a key wherever one of them has one. It is exact on its keys, and between them where both
 * curves run alike in time: held, straight, or with handles on the same frames, as automatic ones are.
 */
export function sumOfCurves(a: Curve, b: Curve): Curve {
  const frames = [...new Set([...a.keys, ...b.keys].map(({ frame }) => frame))].sort((x, y) => x - y);
  const full = (curve: Curve): Curve =>
    frames.reduce(
      (current, frame) =>
        keyAt(current, frame) || outside(current, frame) ? current : insertKey(current, frame),
      curve,
    );
  const [one, other] = [full(a), full(b)];
  const keys = frames.map((frame): Key => {
    const [p, q] = [keyAt(one, frame), keyAt(other, frame)];
    const value = curveAt(a, frame) + curveAt(b, frame);
    const ease = p && q ? (p.ease === q.ease ? p.ease : 'bezier') : (p ?? q)!.ease;
    const sum = (x: Key['in'], y: Key['in']): Key['in'] =>
      x && y ? [(x[0] + y[0]) / 2, x[1] + y[1]] : (x ?? y);
    const [into, out] = [sum(p?.in, q?.in), sum(p?.out, q?.out)];
    return { id: newId(), frame, value, ease, ...(into && { in: into }), ...(out && { out }) };
  });
  return { keys };
}

/** Whether a frame lies before the first or behind the last key of a curve. */
const outside = ({ keys }: Curve, frame: number): boolean =>
  keys.length === 0 ||
  frame < keys[0].frame - FRAME_TOLERANCE ||
  frame > keys[keys.length - 1].frame + FRAME_TOLERANCE;
