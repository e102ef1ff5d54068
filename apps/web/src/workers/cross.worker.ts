import { type Crossing, type CrossingMap, type CrossingSearch, findCrossings } from '@evlay/core/cross';
import { inSlices } from '@evlay/core/job';
import type { ProjectOutline } from './outline.js';
import { serve } from './serve.js';
import { takeCache } from './take-cache.js';

const { api: held, projectOf } = takeCache();

const api = {
  ...held,

  /** The crossings of two performances, the best first; the map of how far they are apart is told as it grows. */
  find(
    outline: ProjectOutline,
    search: CrossingSearch,
    onMap: (map: CrossingMap) => void,
    onProgress: (done: number) => void,
  ): Promise<readonly Crossing[]> {
    return inSlices(findCrossings(projectOf(outline), search, seldom(onMap)), {
      onProgress: whole(onProgress),
    });
  },
};

/** Milliseconds between two maps that are told. */
const BETWEEN = 200;

/** Tells a map that grows at times, and when it is whole. */
function seldom(tell: (map: CrossingMap) => void): (map: CrossingMap) => void {
  let told = 0;
  return (map) => {
    if (map.known < 1 && performance.now() - told < BETWEEN) return;
    tell(map);
    told = performance.now();
  };
}

/** Tells progress by whole percents. */
function whole(tell: (done: number) => void): (done: number) => void {
  let told = -1;
  return (done) => {
    const percent = Math.floor(100 * done);
    if (percent === told) return;
    told = percent;
    tell(done);
  };
}

export type CrossApi = typeof api;

serve(api);
