import { partly, type Steps } from '../job/steps.js';
import type { Project } from '../layer/project.js';
import { type Crossing, type CrossingWish, crossingCost, usualWish } from './crossing.js';
import { crossingAt } from './crossings.js';
import { alignment, type Rows, rowsOf } from './distance.js';
import { judgeFor } from './judge.js';
import { frameOf, framesOf, lowerPerformance, type Performance, upperPerformance } from './performance.js';
import { lowestApart, lowestIn, type MapRows, mapRows, type Place } from './places.js';
import { regionsOf } from './regions.js';

/** What is looked for: crossings of two performances on the stack, the layers by their ids. */
export interface CrossingSearch {
  readonly lower: string;
  readonly upper: string;
  /** A frame within a second of which they are wanted; everywhere where missing. */
  readonly near?: number;
  /**
   * In place of that, the frames of each in which they are wanted, first and last: of the project, and of the upper one counted
   * from its own frame 0.
   */
  readonly within?: Readonly<Record<'lower' | 'upper', readonly [number, number]>>;
}

/**
 * A picture of how far two performances are apart, time against time: `width` columns for the frames of the lower one, and
 * `height` numbers in each, for those of the upper one. Each is the least of the distances there; infinite where none is
 * known.
 */
export interface CrossingMap {
  /** First and last frame of the lower performance, and of the upper one. */
  readonly frames: readonly [readonly [number, number], readonly [number, number]];
  readonly width: number;
  readonly height: number;
  readonly distances: Float32Array;
  /** What part of it is known. */
  readonly known: number;
}

/** Samples a second at most: quicker performances are compared at every so many frames. */
const RATE = 30;
/** Numbers of a picture either way. */
const PICTURE = 212;
/** Rows of distances that are held at once: some hundredths of a second of work. */
const BLOCK = 64;
/** How many crossings are found, one in each stretch of time, and places in each that are judged. */
const MOST = 8;
const JUDGED = 3;
/** Lowest places of a block that are kept. */
const KEPT = 48;
/** What part of the work sampling and comparing is; the rest is judging. */
const [SAMPLING, COMPARING] = [0.15, 0.35];

/**
 * Finds where an upper performance can take over from a lower one, the best first. It is looked for where the lower one
 * plays within the range of the project; the stretch that is looked through is divided so that there are crossings
 * everywhere in it, one at most in each part. What of the map is known is told as it grows. Throws, with the reason for
 * people, where the lower one does not play in the range, or not near the frame that is asked.
 */
export function* findCrossings(
  project: Project,
  { lower, upper, near, within }: CrossingSearch,
  tellMap: (map: CrossingMap) => void = () => undefined,
): Steps<readonly Crossing[]> {
  const { fps, range } = project;
  const step = Math.max(1, Math.round(fps / RATE));
  const wish = usualWish(fps / step);
  const beyond = (wish.around + wish.fade) * step;
  const there = framesOf(project, lower, range);
  const a = yield* partly(lowerPerformance(project, lower, there, step), 0, SAMPLING / 2);
  if (a.count === 0)
    throw new Error('The lower performance has nothing to play within the range: make the range longer.');
  const b = yield* partly(upperPerformance(project, upper, beyond, step), SAMPLING / 2, SAMPLING);
  const rows = [rowsOf(a), rowsOf(b)] as const;
  const wanted = within?.lower ?? (near === undefined ? undefined : [near - fps, near + fps]);
  const [from, to] = wanted ? samplesIn(a, wanted) : [0, a.count];
  if (from >= to && within) return [];
  if (from >= to)
    throw new Error(
      `The lower performance does not play near frame ${near}: go to where it does, or look everywhere.`,
    );
  const [first, last] = within ? samplesIn(b, within.upper) : [0, b.count];
  const slices = Math.max(1, Math.min(MOST, Math.floor((to - from) / (2 * wish.fade))));
  const sliceOf = ({ s }: Place) => Math.min(slices - 1, Math.floor(((s - from) * slices) / (to - from)));

  const picture = newPicture(a, b, from, to);
  const lowest: Place[][] = Array.from({ length: slices }, () => []);
  for (let s = from; s < to; s += BLOCK) {
    const end = Math.min(to, s + BLOCK);
    const map = mapRows(rows, wish.reach, s, end);
    drawInto(picture, b.count, map, [from, to], [s, end]);
    const low = lowestIn(map, b, s, end).filter(({ t }) => t >= first && t < last);
    for (const place of lowestApart(low, wish.fade, KEPT)) lowest[sliceOf(place)].push(place);
    tellMap({ ...picture, known: (end - from) / (to - from) });
    yield SAMPLING + (COMPARING * (end - from)) / (to - from);
  }

  const regions = regionsOf(project.rig, project.parts);
  const judge = judgeFor(project, lower, upper, regions);
  // Where only every so many frames are compared, the upper performance is sampled between them too.
  const between = new Map([[0, { performance: b, rows: rows[1] }]]);
  const found: Crossing[] = [];
  for (const [k, places] of lowest.entries()) {
    let best: Crossing | undefined;
    const judged = lowestApart(places, wish.fade, JUDGED);
    for (const [i, place] of judged.entries()) {
      for (let later = 1; later < step; later++) {
        if (between.has(later)) continue;
        const compared = SAMPLING + COMPARING;
        const performance = yield* partly(
          upperPerformance(project, upper, beyond, step, later),
          compared,
          compared,
        );
        between.set(later, { performance, rows: rowsOf(performance) });
      }
      const { later, t } = nearest(rows[0], between, place, wish);
      const { performance, rows: own } = between.get(later)!;
      const crossing = crossingAt(a, performance, [rows[0], own], regions, place.s, t, wish, judge);
      if (crossing && (!best || crossingCost(crossing) < crossingCost(best))) best = crossing;
      const done = (k + (i + 1) / judged.length) / slices;
      yield SAMPLING + COMPARING + (1 - SAMPLING - COMPARING) * done;
    }
    if (best) found.push(best);
  }
  return found.sort((one, other) => crossingCost(one) - crossingCost(other));
}

/** Samples from and to (not included) that lie within some frames. */
function samplesIn(
  { first, step, count }: Performance,
  [start, end]: readonly [number, number],
): readonly [number, number] {
  const sampleAt = (frame: number) => Math.min(count, Math.max(0, Math.round((frame - first) / step)));
  return [sampleAt(start), Math.min(count, sampleAt(end) + 1)];
}

/** At which sample of the upper performance, also between those that were compared, it lies best on a sample of the lower. */
function nearest(
  a: Rows,
  between: ReadonlyMap<number, { readonly rows: Rows }>,
  { s, t }: Place,
  { reach }: CrossingWish,
): { later: number; t: number } {
  let best = { later: 0, t, distance: Number.POSITIVE_INFINITY };
  for (const [later, { rows }] of between)
    for (const at of later === 0 ? [t] : [t - 1, t]) {
      if (at < reach || at + reach >= rows.count) continue;
      const { distance } = alignment(a, s, rows, at, reach);
      if (distance < best.distance) best = { later, t: at, distance };
    }
  return best;
}

function newPicture(a: Performance, b: Performance, from: number, to: number): CrossingMap {
  const [width, height] = [Math.min(PICTURE, to - from), Math.min(PICTURE, b.count)];
  return {
    frames: [
      [frameOf(a, from), frameOf(a, to - 1)],
      [frameOf(b, 0), frameOf(b, b.count - 1)],
    ],
    width,
    height,
    distances: new Float32Array(width * height).fill(Number.POSITIVE_INFINITY),
    known: 0,
  };
}

/** Puts rows of distances into a picture of samples `from` to `to` of the lower performance. */
function drawInto(
  { width, height, distances }: CrossingMap,
  count: number,
  { first, distances: rows }: MapRows,
  [from, to]: readonly [number, number],
  [start, end]: readonly [number, number],
): void {
  for (let s = start; s < end; s++) {
    const x = Math.floor(((s - from) * width) / (to - from));
    for (let t = 0; t < count; t++) {
      const o = x * height + Math.floor((t * height) / count);
      distances[o] = Math.min(distances[o], rows[(s - first) * count + t]);
    }
  }
}
