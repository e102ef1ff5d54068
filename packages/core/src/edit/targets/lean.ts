import { type Curve, isCurve, newKey } from '../../curve/curve.js';
import { compileCurve, evaluateCurve } from '../../curve/evaluate.js';
import { compilePath, pathLength, placeOnPath } from '../../curve/path.js';
import type { Project } from '../../layer/project.js';
import { type Target, ZERO_TURN } from '../../layer/target.js';
import { DEGREES } from '../../math/euler.js';
import { changeTarget } from './targets.js';

/** Standard gravity in m/s² (ISO 80000-3). */
const GRAVITY = 9.80665;

/** How far apart keys of a lean are, and over how long on both sides a bend is measured, in seconds. */
const APART = 1 / 6;

/** Why something does not lean into the bends of its path, in words for people; undefined where it can. */
export function leanRefusal({ path }: Target): string | undefined {
  if (!path) return 'It goes along no path';
  return isCurve(path.along) && path.along.keys.length > 1 ? undefined : 'It stands still on its path';
}

/**
 * Lets what goes along a path head along it and lean into its bends, by keys on the third angle of its turn: by the angle at which weight and
 * what a bend asks for pull it straight down its own height, `tan φ = v·ω / g`, with speed `v` and rate of heading `ω` as its pace and its path
 * have them. Keys that the angle had are replaced.
 */
export const leanIntoBends = (project: Project, layer: string, id: string): Project =>
  changeTarget(project, layer, id, (target) => {
    if (leanRefusal(target) !== undefined) return target;
    const path = target.path!;
    const along = path.along as Curve;
    const rz: Curve = { keys: leanKeys(project, path.points, path.closed, along) };
    return { ...target, path: { ...path, heading: true }, turn: { ...(target.turn ?? ZERO_TURN), rz } };
  });

function leanKeys(
  { fps, metresPerUnit }: Project,
  points: Parameters<typeof compilePath>[0],
  closed: boolean,
  along: Curve,
): Curve['keys'] {
  const path = compilePath(points, closed);
  const pace = compileCurve(along);
  const length = pathLength(path) * metresPerUnit;
  const at = new Float64Array(3);
  const ahead = new Float64Array(3);
  const headingAt = (frame: number) => {
    placeOnPath(path, evaluateCurve(pace, frame), at, ahead);
    return Math.atan2(ahead[0], ahead[2]);
  };
  const step = Math.max(1, Math.round(APART * fps));
  const [first, last] = [along.keys[0].frame, along.keys[along.keys.length - 1].frame];
  const leanAt = (frame: number) => {
    const [from, to] = [Math.max(first, frame - step), Math.min(last, frame + step)];
    const seconds = (to - from) / fps;
    const turned = headingAt(to) - headingAt(from);
    const rate = Math.atan2(Math.sin(turned), Math.cos(turned)) / seconds;
    const speed = ((evaluateCurve(pace, to) - evaluateCurve(pace, from)) * length) / seconds;
    // Positive about the way ahead leans to the right; a heading that grows turns to the left.
    return -Math.atan((speed * rate) / GRAVITY) * DEGREES;
  };
  const count = Math.max(1, Math.round((last - first) / step));
  return Array.from({ length: count + 1 }, (_, k) => {
    const frame = k === count ? last : first + k * step;
    return newKey(frame, leanAt(frame));
  });
}
