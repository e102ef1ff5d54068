import { type Crossing, changing } from '../../cross/crossing.js';
import { findCrossings } from '../../cross/find.js';
import { framesOf } from '../../cross/performance.js';
import { crossOver } from '../../cross/write.js';
import { newId } from '../../id.js';
import { partly, type Steps } from '../../job/steps.js';
import { baseOf, type Project } from '../../layer/project.js';
import type { Take } from '../../take/take.js';
import { addTakeLayer } from '../stack/layers.js';
import { projectFromTake } from './project.js';
import { addTakes } from './takes.js';

/** Where a take of a joined performance takes over from the one before it: their names, and the crossing that was best. */
export interface Seam {
  readonly from: string;
  readonly to: string;
  readonly crossing: Crossing;
}

/** Why takes cannot be joined, for people. */
export class JoinError extends Error {
  override name = 'JoinError';
}

/** Takes as one performance: each a layer over the one before, and where they take over, in their order. */
export interface JoinedTakes {
  readonly project: Project;
  readonly seams: readonly Seam[];
}

/**
 * Puts takes one after the other, at the rate and on the skeleton of the first: each takes over from the one before at the
 * best crossing within the last `seconds` of that and the first of its own, and is placed by it. Throws a {@link JoinError} where
 * two have no crossing there.
 */
export function* joinTakes(takes: readonly Take[], seconds: number): Steps<JoinedTakes> {
  let project = projectFromTake(takes[0]);
  const { fps } = project;
  const seams: Seam[] = [];
  let lower = baseOf(project).id;
  let free = 0;
  for (const [k, take] of takes.entries()) {
    if (k === 0) continue;
    // The same take may come twice.
    const id = project.takes.some((one) => one.id === take.id) ? newId() : take.id;
    project = addTakes(project, [{ ...take, id }]);
    const top = project.layers[project.layers.length - 1].id;
    const added = addTakeLayer(project, { take: id, mode: 'override', above: top });
    const within = {
      lower: [Math.max(free, project.range[1] - seconds * fps), project.range[1]],
      upper: [0, seconds * fps],
    } as const;
    const search = { lower, upper: added.id, within };
    const [best] = yield* partly(
      findCrossings(added.project, search),
      (k - 1) / (takes.length - 1),
      k / (takes.length - 1),
    );
    const [before, name] = project.takes.slice(-2).map((one) => one.name);
    if (!best)
      throw new JoinError(
        `${name} cannot take over from ${before} within the last ${seconds} s of it and the first ${seconds} s of its own: expected longer takes, or more seconds`,
      );
    project = crossOver(added.project, added.id, best);
    const [, end] = framesOf(project, added.id, [0, Number.POSITIVE_INFINITY]);
    project = { ...project, range: [0, Math.floor(end + 1e-6)] };
    seams.push({ from: before, to: name, crossing: best });
    lower = added.id;
    free = changing(best)[1];
  }
  return { project, seams };
}
