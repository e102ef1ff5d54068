import { parentPort, workerData } from 'node:worker_threads';
import { type BakePlan, bakeBlock } from '../src/bake/index.js';
import { compileStack, type Project } from '../src/index.js';

/** A thread that evaluates parts of a bake. */
const { project, plan } = workerData as { project: Project; plan: BakePlan };
const stack = compileStack(project);

parentPort!.on('message', ({ from, to }: { from: number; to: number }) => {
  const part = bakeBlock(stack, plan, from, to);
  const buffers = [part.translations, part.rotations, part.scales].map(({ values }) => values.buffer);
  parentPort!.postMessage(part, buffers as ArrayBuffer[]);
});
