import type { Project } from '../layer/project.js';
import { jointIndex } from '../rig/rig.js';
import type { Probe } from './probe.js';
import { matrixAt, type SeenMotion } from './seen.js';
import type { Standing } from './standing.js';

/** Points that stand, as they are read of a seen motion. */
interface Point {
  readonly joint: number;
  readonly offset: readonly number[];
  readonly floor: number;
}

const pointAt = (seen: SeenMotion, f: number, { joint, offset: [x, y, z] }: Point, row: number): number => {
  const m = matrixAt(seen, f, joint);
  const { matrices } = seen;
  return (
    matrices[m + row] * x + matrices[m + 4 + row] * y + matrices[m + 8 + row] * z + matrices[m + 12 + row]
  );
};

const pointsIn = ({ rig }: Project, { points }: Standing): Point[] =>
  points.flatMap(({ joint, end, floor }) => {
    const j = jointIndex(rig, joint);
    const offset = end === undefined ? [0, 0, 0] : rig.joints[j]?.ends[end];
    return j < 0 || !offset ? [] : [{ joint: j, offset, floor }];
  });

/** Indices of the frames of a seen motion that lie in a span. */
function framesIn({ frames }: SeenMotion, [from, to]: readonly [number, number]): [number, number] {
  let first = 0;
  while (first < frames.length && frames[first] < from - 1e-6) first++;
  let last = frames.length - 1;
  while (last >= 0 && frames[last] > to + 1e-6) last--;
  return [first, last];
}

/** Where the point that stands has come to at each frame of a span, across the floor, from its first frame on. */
function pathOf(seen: SeenMotion, points: readonly Point[], first: number, last: number): Float64Array {
  const path = new Float64Array(2 * Math.max(0, last - first + 1));
  for (let f = first; f < last; f++) {
    let best = points[0];
    let least = Number.POSITIVE_INFINITY;
    for (const point of points) {
      const height = pointAt(seen, f, point, 1) + pointAt(seen, f + 1, point, 1) - 2 * point.floor;
      if (height < least) [best, least] = [point, height];
    }
    for (const [k, row] of [0, 2].entries())
      path[2 * (f - first + 1) + k] =
        path[2 * (f - first) + k] + pointAt(seen, f + 1, best, row) - pointAt(seen, f, best, row);
  }
  return path;
}

/** Slides and heights of what stands. */
export function standingProbes(project: Project, standings: readonly Standing[]): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  return standings.flatMap((standing) => {
    const points = pointsIn(project, standing);
    const { chain } = standing.limb;
    const joint = chain[chain.length - 1];
    const looks = points.map((point) => point.joint);
    if (points.length === 0) return [];
    const paths = new WeakMap<SeenMotion, Map<number, Float64Array>>();
    const pathIn = (seen: SeenMotion, first: number, last: number): Float64Array => {
      const known = paths.get(seen) ?? new Map<number, Float64Array>();
      paths.set(seen, known);
      const path = known.get(first) ?? pathOf(seen, points, first, last);
      known.set(first, path);
      return path;
    };
    return standing.spans.flatMap((span): Probe[] => [
      {
        kind: 'slide',
        unit: 'cm',
        joint,
        looks,
        span,
        // How far the point that stands is from where it is in the middle of its way, by the sum of its steps.
        at(seen, f) {
          const [first, last] = framesIn(seen, span);
          const path = pathIn(seen, first, last);
          const i = f - first;
          let far = 0;
          for (let k = 0; k < path.length; k += 2)
            far = Math.max(far, (path[2 * i] - path[k]) ** 2 + (path[2 * i + 1] - path[k + 1]) ** 2);
          return Math.sqrt(far) * centimetres;
        },
      },
      ...(['below', undefined] as const).map(
        (more): Probe => ({
          kind: 'floor',
          unit: 'cm',
          joint,
          looks,
          span,
          around: 0,
          more,
          at(seen, f) {
            let low = Number.POSITIVE_INFINITY;
            for (const point of points) low = Math.min(low, pointAt(seen, f, point, 1) - point.floor);
            return Math.max(0, more === 'below' ? -low : low) * centimetres;
          },
        }),
      ),
    ]);
  });
}
