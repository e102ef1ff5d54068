import type { Curve, OwnTime } from '@evlay/core';
import { handlesOfSegment, type Knots, knotsOf } from '@evlay/core/curve';

const paths = new WeakMap<Curve, { readonly time: string; readonly path: Path2D }>();

/**
 * The segments of a curve as a path whose x are own frames and whose y are values: every segment is a cubic Bezier, a
 * line or a step. Made once for a curve, so that moving and zooming costs no more than a matrix. Of a loop it is one
 * cycle, as it is read.
 */
export function pathOf(curve: Curve, time: OwnTime): Path2D | undefined {
  const looped = time.loop !== 'none';
  const name = looped ? `${time.start} ${time.length}` : '';
  const known = paths.get(curve);
  if (known?.time === name) return known.path;
  const knots = knotsOf(curve, looped ? time : undefined);
  if (!knots) return undefined;
  const path = pathOfKnots(knots);
  paths.set(curve, { time: name, path });
  return path;
}

function pathOfKnots({ keys, from, to }: Knots): Path2D {
  const path = new Path2D();
  path.moveTo(keys[from].frame, keys[from].value);
  for (let i = from; i + 1 < to; i++) {
    const [a, b] = [keys[i], keys[i + 1]];
    if (a.ease === 'hold') {
      path.lineTo(b.frame, a.value);
      path.lineTo(b.frame, b.value);
    } else if (a.ease === 'linear') path.lineTo(b.frame, b.value);
    else {
      const { out, in: into } = handlesOfSegment(keys, i);
      path.bezierCurveTo(
        a.frame + out[0],
        a.value + out[1],
        b.frame + into[0],
        b.value + into[1],
        b.frame,
        b.value,
      );
    }
  }
  return path;
}
