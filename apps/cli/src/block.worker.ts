import { parentPort, workerData } from 'node:worker_threads';
import { compileStack, type Project } from '@evlay/core';
import { type BakePlan, bakeBlock } from '@evlay/core/bake';

/** Evaluates parts of a bake on a thread of its own; the project came along when it was started. */
const { project, plan } = workerData as { project: Project; plan: BakePlan };
const stack = compileStack(project);

parentPort!.on('message', ({ from, to }: { from: number; to: number }) => {
  const part = bakeBlock(stack, plan, from, to);
  const buffers = [part.translations, part.rotations, part.scales].map(({ values }) => values.buffer);
  parentPort!.postMessage(part, buffers as ArrayBuffer[]);
});
