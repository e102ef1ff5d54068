import { limbOn, tidySpans } from '../check/stances.js';
import { standingPoints, withFloors } from '../check/standing.js';
import type { HeldContacts, HeldLimb, StandingSpan } from '../layer/held-contacts.js';
import { layerById, type Project } from '../layer/project.js';
import { emptyRecord } from '../record.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { jointIndex } from '../rig/rig.js';
import { type Crossing, changing } from './crossing.js';
import { frameOf } from './performance.js';
import { type Placed, standsIn } from './placed.js';
import type { Region } from './regions.js';
import { crossOver } from './write.js';

/** How feet are held. */
export interface Hold {
  /** The regions whose feet are held. */
  readonly slides: readonly string[];
  /** Seconds over which corrections come and go, in the air before and after a stance. */
  readonly fade: number;
}

/**
 * The contacts that keep feet in place while one performance takes over from another: of each foot that stands at some time
 * between the first change and the last, the whole stances, by the performance that the foot belongs to then. Whole stances
 * are held, since one that is held in part slides where the correction comes and goes. Legs of other feet are there without
 * stances, so that they stay in their places when the hips go down.
 */
export function feetToHold(
  project: Project,
  lower: string,
  upper: string,
  regions: readonly Region[],
  crossing: Crossing,
  placed: Placed,
  { slides, fade }: Hold,
): HeldContacts {
  const crossed = crossOver(project, upper, crossing);
  const compiled = compiledLimbs(project.rig, project.limbs);
  const limbs = emptyRecord<HeldLimb>();
  // A stance beside those that are held is held too, where a correction would come or go meanwhile.
  const beside = Math.max(1, Math.round(fade * project.fps));
  const [first, last] = changing(crossing);
  for (const { name, foot } of regions) {
    const change = crossing.changes.find(({ region }) => region === name);
    const limb = foot && limbOn(compiled, jointIndex(project.rig, foot.joint));
    if (!foot || !limb || !change) continue;
    const { lower: below, upper: above, shift } = placed;
    const standing = stancesOf(
      (s) => standsIn(placed, foot, s)[frameOf(below, s) < change.frame ? 0 : 1],
      Math.min(0, -shift),
      Math.max(below.count, above.count - shift),
    )
      .map(([from, to]): StandingSpan => [frameOf(below, from), frameOf(below, to)])
      .filter(([from, to]) => to > first - beside && from < last + beside);
    if (standing.length === 0) continue;
    const stances = standing.filter(() => slides.includes(name));
    // The performance that stands the longer says how high the points of the foot are.
    const before = standing.reduce((sum, [from, to]) => sum + Math.min(to, change.frame) - from, 0);
    const all = standing.reduce((sum, [from, to]) => sum + to - from, 0);
    const says = layerById(crossed, 2 * before > all ? lower : upper)!;
    const points = withFloors(crossed, says, standingPoints(project.rig, limb), standing);
    limbs[limb.name] = { points, spans: tidySpans(stances) };
  }
  return { fade: beside, hips: true, limbs };
}

/** Runs of samples from `from` to `to` (not included) at which a foot stands, first and last, longer than one. */
function stancesOf(stands: (s: number) => boolean, from: number, to: number): [number, number][] {
  const runs: [number, number][] = [];
  for (let s = from; s < to; s++) {
    if (!stands(s)) continue;
    if (s > from && stands(s - 1)) runs[runs.length - 1][1] = s;
    else runs.push([s, s]);
  }
  return runs.filter(([first, last]) => last > first);
}
