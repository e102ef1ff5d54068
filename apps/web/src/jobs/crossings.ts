import type { Project } from '@evlay/core';
import type { Crossing, CrossingMap, CrossingSearch } from '@evlay/core/cross';
import { type JobWork, supervised } from '@evlay/core/job';
import { proxy } from 'comlink';
import type { CrossApi } from '../workers/cross.worker.js';
import { askWithTakes, startWorker } from '../workers/host.js';
import { outlineOf } from '../workers/outline.js';

/**
 * Finds where one performance can take over from another, in a worker that lives as long as that takes: it is ended when the
 * search is given up.
 */
export async function lookForCrossings(
  project: Project,
  search: CrossingSearch,
  onMap: (map: CrossingMap) => void,
  { onProgress, signal }: JobWork,
): Promise<readonly Crossing[]> {
  const worker = supervised(
    'compares performances',
    startWorker<CrossApi>(
      () => new Worker(new URL('../workers/cross.worker.ts', import.meta.url), { type: 'module' }),
    ),
  );
  signal.addEventListener('abort', worker.end);
  try {
    return await askWithTakes(worker, project.takes, (port) =>
      port.find(outlineOf(project), search, proxy(onMap), proxy(onProgress)),
    );
  } finally {
    worker.end();
  }
}
