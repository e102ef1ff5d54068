import type { StandingSpan } from '../layer/held-contacts.js';
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

/** Metres by which points may be higher above their floors than the lowest and stand with it. */
const BESIDE = 0.015;

/**
 * Where what stands has come to at each frame of a span, across the floor, from its first frame on, in units of the rig. From
 * frame to frame it is the point that moves least of those that are down: a foot that rolls or turns stands on one of them.
 * Steps over frames in which it does not stand still of its own do not count.
 */
function pathOf(
  seen: SeenMotion,
  points: readonly Point[],
  still: readonly StandingSpan[],
  first: number,
  last: number,
  beside: number,
): Float64Array {
  const path = new Float64Array(2 * Math.max(0, last - first + 1));
  for (let f = first; f < last; f++) {
    const k = 2 * (f - first);
    path[k + 2] = path[k];
    path[k + 3] = path[k + 1];
    const [a, b] = [seen.frames[f], seen.frames[f + 1]];
    if (!still.some(([from, to]) => a >= from - 1e-6 && b <= to + 1e-6)) continue;
    const heights = points.map(
      (point) => pointAt(seen, f, point, 1) + pointAt(seen, f + 1, point, 1) - 2 * point.floor,
    );
    const low = Math.min(...heights);
    let least = Number.POSITIVE_INFINITY;
    let [moveX, moveZ] = [0, 0];
    for (const [p, point] of points.entries()) {
      if (heights[p] > low + 2 * beside) continue;
      const x = pointAt(seen, f + 1, point, 0) - pointAt(seen, f, point, 0);
      const z = pointAt(seen, f + 1, point, 2) - pointAt(seen, f, point, 2);
      const way = Math.sqrt(x * x + z * z);
      if (way < least) [least, moveX, moveZ] = [way, x, z];
    }
    path[k + 2] += moveX;
    path[k + 3] += moveZ;
  }
  return path;
}

/** Slides and heights of what stands. */
export function standingProbes(project: Project, standings: readonly Standing[]): Probe[] {
  const { metresPerUnit } = project;
  const centimetres = 100 * metresPerUnit;
  const beside = BESIDE / metresPerUnit;
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
      const path = known.get(first) ?? pathOf(seen, points, standing.still, first, last, beside);
      known.set(first, path);
      return path;
    };
    return standing.spans.flatMap((span, k): Probe[] => [
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
        // What lies between the two frames that are farthest apart, along the line between them.
        share(seen, f) {
          const [first, last] = framesIn(seen, span);
          const path = pathIn(seen, first, last);
          const i = 2 * (f - first);
          const way = (k: number) => Math.hypot(path[i] - path[k], path[i + 1] - path[k + 1]);
          let far = 0;
          for (let k = 0; k < path.length; k += 2) if (way(k) > way(far)) far = k;
          const length = way(far) || 1;
          const x = (path[i] - path[far]) / length;
          const z = (path[i + 1] - path[far + 1]) / length;
          return (other) => {
            const its = pathIn(other, first, last);
            return ((its[i] - its[far]) * x + (its[i + 1] - its[far + 1]) * z) * centimetres;
          };
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
            return Math.max(0, more === 'below' ? standing.levels[k] - low : low) * centimetres;
          },
        }),
      ),
    ]);
  });
}
