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
import { inSlices, type JobWork, STRETCH, supervised } from '@evlay/core/job';
import type { CrossApi } from '../workers/cross.worker.js';
import { startWorker } from '../workers/host.js';

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
  const workers = Array.from({ length: WORKERS }, () =>
    supervised(
      'compares performances',
      startWorker<CrossApi>(
        () => new Worker(new URL('../workers/cross.worker.ts', import.meta.url), { type: 'module' }),
      ),
    ),
  );
  const end = () => workers.forEach((worker) => void worker.end());
  signal.addEventListener('abort', end);
  try {
    await Promise.all(
      workers.map((worker) =>
        worker.ask(async (port) => {
          await port.hold(a, b, reach);
          while (next < a.count) {
            const from = next;
            next = Math.min(a.count, from + ROWS_AT_ONCE);
            done(await port.rows(from, next), from);
          }
        }),
      ),
    );
  } finally {
    // When one fails the other takes no further part.
    next = a.count;
    end();
  }
}

/**
 * Finds where an upper layer can take over from a lower one, the best first, of like ones that nearest to a frame. The page stays free: the map is worked out in
 * workers, the rest a little at a time. Throws `Cancelled` where it is given up.
 */
export async function findCrossings(
  project: Project,
  lower: string,
  upper: string,
  near: number,
  { map: tellMap }: CrossingNews,
  { onProgress, signal }: JobWork,
): Promise<readonly Crossing[]> {
  const wish = usualWish(project.fps);
  const calm = <T>(steps: Steps<T>): Promise<T> => inSlices(steps, { signal }, STRETCH.page);
  const a = await calm(lowerPerformance(project, lower, project.range));
  const b = await calm(upperPerformance(project, upper, wish.around + wish.fade));
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
      onProgress((0.8 * known) / a.count);
      tellMap(map, known === a.count);
    },
    signal,
  );
  return calm(best(project, [lower, upper], a, b, rows, distances, onProgress, near));
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
