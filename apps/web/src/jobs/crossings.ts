import type { Project, Steps } from '@evlay/core';
import {
  type Crossing,
  crossingAt,
  crossingCost,
  judgeFor,
  lowerPerformance,
  lowestPlaces,
  type Performance,
  type Rows,
  regionsOf,
  rowsOf,
  upperPerformance,
  usualWish,
} from '@evlay/core/cross';
import { wrap } from 'comlink';
import type { CrossApi } from '../workers/cross.worker.js';
import { calmly } from './calmly.js';

/** The map of distances as far as it is known: a row for each sample of the lower performance. */
export interface CrossingMap {
  /** Frames of the first sample of both performances, and their samples. */
  readonly first: readonly [lower: number, upper: number];
  readonly count: readonly [lower: number, upper: number];
  readonly distances: Float32Array;
}

/** What is told while crossings are looked for. */
export interface CrossingNews {
  /** `whole` when nothing of it is missing any more. */
  readonly map: (map: CrossingMap, whole: boolean) => void;
  readonly progress: (done: number) => void;
}

const WORKERS = 2;
/** Rows that a worker is asked for at once: some hundredths of a second. */
const ROWS_AT_ONCE = 16;
/** How many crossings are found, and of how many places the best are taken. */
const MOST = 8;
const PLACES = 24;
/** The map of distances, by two workers that live as long as it takes. */
async function mapOf(
  a: Rows,
  b: Rows,
  reach: number,
  done: (rows: Float32Array, from: number) => void,
  signal: AbortSignal,
): Promise<void> {
  let next = 0;
  const threads = Array.from(
    { length: WORKERS },
    () => new Worker(new URL('../workers/cross.worker.ts', import.meta.url), { type: 'module' }),
  );
  const given = new Promise<void>((resolve) => signal.addEventListener('abort', () => resolve()));
  const work = async (thread: Worker) => {
    const worker = wrap<CrossApi>(thread);
    await worker.hold(a, b, reach);
    while (next < a.count && !signal.aborted) {
      const from = next;
      next = Math.min(a.count, from + ROWS_AT_ONCE);
      const rows = await worker.rows(from, next);
      if (!signal.aborted) done(rows, from);
    }
  };
  await Promise.race([Promise.all(threads.map(work)), given]);
  for (const thread of threads) thread.terminate();
}

/**
 * Finds where an upper layer can take over from a lower one, the best first, of like ones that nearest to a frame. The page stays free: the map is worked out in
 * workers, the rest a little at a time. Undefined where it is given up.
 */
export async function findCrossings(
  project: Project,
  lower: string,
  upper: string,
  near: number,
  { map: tellMap, progress }: CrossingNews,
  signal: AbortSignal,
): Promise<readonly Crossing[] | undefined> {
  const wish = usualWish(project.fps);
  const a = await calmly(lowerPerformance(project, lower, project.range), signal);
  const b = a && (await calmly(upperPerformance(project, upper, wish.around + wish.fade), signal));
  if (!a || !b) return undefined;
  const rows = [rowsOf(a), rowsOf(b)] as const;
  const distances = new Float32Array(a.count * b.count).fill(Number.POSITIVE_INFINITY);
  const map: CrossingMap = { first: [a.first, b.first], count: [a.count, b.count], distances };
  let known = 0;
  await mapOf(
    ...rows,
    wish.reach,
    (found, from) => {
      distances.set(found, from * b.count);
      known += found.length / b.count;
      progress((0.8 * known) / a.count);
      tellMap(map, known === a.count);
    },
    signal,
  );
  if (signal.aborted) return undefined;
  const crossings = await calmly(
    best(project, [lower, upper], a, b, rows, distances, progress, near),
    signal,
  );
  if (crossings) progress(1);
  return crossings;
}

function* best(
  project: Project,
  [lower, upper]: readonly [string, string],
  a: Performance,
  b: Performance,
  rows: readonly [Rows, Rows],
  distances: Float32Array,
  progress: (done: number) => void,
  near: number,
): Steps<readonly Crossing[]> {
  const wish = usualWish(project.fps);
  const regions = regionsOf(project.rig, project.parts);
  const judge = judgeFor(project, lower, upper, regions);
  const places = lowestPlaces(distances, b, wish.fade, PLACES);
  const found: Crossing[] = [];
  for (const [k, { s, t }] of places.entries()) {
    yield undefined;
    found.push(...([crossingAt(a, b, rows, regions, s, t, wish, judge)].filter(Boolean) as Crossing[]));
    progress(0.8 + (0.2 * (k + 1)) / places.length);
  }
  // Of those that are as good, as in loops, the one nearest to the frame that is shown comes first.
  const rank = (crossing: Crossing) => Number(crossingCost(crossing).toPrecision(3));
  const away = ({ frame }: Crossing) => Math.abs(frame - near);
  return found.sort((one, other) => rank(one) - rank(other) || away(one) - away(other)).slice(0, MOST);
}
