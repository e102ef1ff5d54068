import { availableParallelism } from 'node:os';
import { startThreads, startWorker } from '@evlay/batch';
import { threadFile } from './apply.js';
import { writeFile } from './files.js';

interface WorkFlags {
  queue: string;
  root: string;
  jobs?: number;
  untilEmpty?: boolean;
}

/** `evlay work`: takes from a queue what `evlay apply --queue` has put on it, until it is interrupted. */
export async function workCommand({ queue, root, jobs, untilEmpty }: WorkFlags): Promise<void> {
  const count = jobs ?? availableParallelism();
  const threads = await startThreads(count, threadFile());
  try {
    const worker = await startWorker({ url: queue, root }, threads, count, writeFile, (name, failed) => {
      process.stdout.write(failed === undefined ? `${name}\n` : `${name}: failed, ${failed}\n`);
    });
    process.stderr.write(`evlay: works on ${queue}, ${count} at once; Ctrl+C ends it when these are done\n`);
    await (untilEmpty ? worker.drained() : interrupted());
    await worker.close();
  } finally {
    await threads.end();
  }
}

/** Waits for the first signal to end; a second one ends at once. */
const interrupted = (): Promise<void> =>
  new Promise((done) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => done());
  });
