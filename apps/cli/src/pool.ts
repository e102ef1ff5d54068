import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { Project } from '@evlay/core';
import {
  type BakePlan,
  type BakeRange,
  bake,
  bakeInParts,
  type JobOptions,
  type PartBaker,
  planBake,
} from '@evlay/core/bake';
import type { Samples } from '@evlay/core/take';

/** Joints of layers to evaluate below which starting threads takes longer than doing it here. */
const WORTH_THREADS = 2_000_000;

/** Bakes on every core, where there is enough to do. */
export async function bakeOnAllCores(project: Project, options: BakeRange & JobOptions): Promise<Samples> {
  const plan = planBake(project, options);
  const work = plan.count * project.layers.length * project.rig.joints.length;
  const cores = availableParallelism();
  if (cores < 2 || work < WORTH_THREADS) return bake(project, options);
  const threads = Array.from({ length: cores }, () => startThread(project, plan));
  try {
    return await bakeInParts(
      project.rig,
      plan,
      threads.map((thread) => thread.baker),
      options,
    );
  } finally {
    for (const thread of threads) void thread.worker.terminate();
  }
}

function startThread(project: Project, plan: BakePlan): { worker: Worker; baker: PartBaker } {
  // The files that takes and character came in are of no use there.
  const takes = project.takes.map((take) => ({
    ...take,
    source: { ...take.source, bytes: new Uint8Array() },
  }));
  const worker = new Worker(new URL('./part.mjs', import.meta.url), {
    workerData: { project: { ...project, takes, character: undefined }, plan },
  });
  // Parts come back in the order in which they were asked for.
  const asked: { resolve: (part: Samples) => void; reject: (error: Error) => void }[] = [];
  worker.on('message', (part: Samples) => asked.shift()?.resolve(part));
  worker.on('error', (error: Error) => {
    for (const { reject } of asked.splice(0)) reject(error);
  });
  const baker: PartBaker = (from, to) =>
    new Promise((resolve, reject) => {
      asked.push({ resolve, reject });
      worker.postMessage({ from, to });
    });
  return { worker, baker };
}
