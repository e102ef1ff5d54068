import { type Crossing, changing } from '../../cross/crossing.js';
import { findCrossings } from '../../cross/find.js';
import { framesOf } from '../../cross/performance.js';
import { crossOver } from '../../cross/write.js';
import { newId } from '../../id.js';
import { partly, type Steps } from '../../job/steps.js';
import { takeOf } from '../../layer/content.js';
import { baseOf, layerById, type Project } from '../../layer/project.js';
import type { Take } from '../../take/take.js';
import { addTakeLayer } from '../stack/layers.js';
import { projectFromTake } from './project.js';
import { addTakes, takeById } from './takes.js';

/** Where a take of a joined performance takes over from the one before it: their names, the crossing that is used, and all that were found, the best first. */
export interface Seam {
  readonly from: string;
  readonly to: string;
  readonly crossing: Crossing;
  readonly found: readonly Crossing[];
  /** Id of the layer that takes over. */
  readonly layer: string;
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
 * best crossing within the last `seconds` of that and the first of its own, and is placed by it. Throws a {@link JoinError}
 * where two have no crossing there.
 */
export function joinTakes(takes: readonly Take[], seconds: number): Steps<JoinedTakes> {
  let project = projectFromTake(takes[0]);
  const ids = takes.slice(1).map((take) => {
    // The same take may come twice.
    const id = project.takes.some((one) => one.id === take.id) ? newId() : take.id;
    project = addTakes(project, [{ ...take, id }]);
    return id;
  });
  return goOn(project, baseOf(project).id, ids, seconds);
}

/**
 * Puts takes of a project one after the other on layers at the top of its stack, from frame 0 on, in the way of
 * {@link joinTakes}. Its range becomes theirs. `choices` say of seams, in their order, which of the crossings that are found is used,
 * counted from 0 for the best.
 */
export function joinOver(
  project: Project,
  takes: readonly string[],
  seconds: number,
  choices: readonly number[] = [],
): Steps<JoinedTakes> {
  const first = addTakeLayer(project, { take: takes[0], mode: 'override', above: topOf(project) });
  return goOn(first.project, first.id, takes.slice(1), seconds, choices);
}

const topOf = ({ layers }: Project): string => layers[layers.length - 1].id;

/** The same project with the range in which a layer plays. */
function rangeOf(project: Project, layer: string): Project {
  const [, end] = framesOf(project, layer, [0, Number.POSITIVE_INFINITY]);
  return { ...project, range: [0, Math.floor(end + 1e-6)] };
}

/** Lets takes go on from a layer at the top of the stack, one from the other. */
function* goOn(
  start: Project,
  from: string,
  takes: readonly string[],
  seconds: number,
  choices: readonly number[] = [],
): Steps<JoinedTakes> {
  let project = rangeOf(start, from);
  const { fps } = project;
  const seams: Seam[] = [];
  let lower = from;
  let free = 0;
  for (const [k, take] of takes.entries()) {
    const added = addTakeLayer(project, { take, mode: 'override', above: topOf(project) });
    const [, end] = project.range;
    const within = { lower: [Math.max(free, end - seconds * fps), end], upper: [0, seconds * fps] } as const;
    const search = findCrossings(added.project, { lower, upper: added.id, within });
    const found = yield* partly(search, k / takes.length, (k + 1) / takes.length);
    const best = found[choices[k] ?? 0] ?? found[0];
    const [before, name] = [lower, added.id].map((id) => takePlayed(added.project, id));
    if (!best)
      throw new JoinError(
        `${name} cannot take over from ${before} within the last ${seconds} s of it and the first ${seconds} s of its own: expected longer takes, or more seconds`,
      );
    project = rangeOf(crossOver(added.project, added.id, best), added.id);
    seams.push({ from: before, to: name, crossing: best, found, layer: added.id });
    lower = added.id;
    free = changing(best)[1];
  }
  return { project, seams };
}

/** The name of the take that a layer plays. */
const takePlayed = (project: Project, layer: string): string =>
  takeById(project, takeOf(layerById(project, layer)!)?.take)!.name;
