import { Worker } from 'node:worker_threads';
import { type StartWorker, type Supervised, supervised } from '@evlay/core/job';

/** A thread that answers what it is asked, one after the other. */
export interface Thread<Q, A> {
  readonly ask: (question: Q) => Promise<A>;
  readonly end: () => void;
}

/** How a thread is asked. */
type Ask<Q, A> = (question: Q) => Promise<A>;

/** Starts a thread from a file, with data for it, and watches it: what it throws, what cannot be read of it, its end. */
export const startingThread =
  <Q, A>(file: URL, data?: unknown): StartWorker<Ask<Q, A>> =>
  (lost) => {
    const worker = new Worker(file, { workerData: data });
    // Answers come in the order in which they were asked for.
    const asked: ((answer: A) => void)[] = [];
    worker.on('message', (answer: A) => asked.shift()?.(answer));
    worker.on('messageerror', () => lost('sent what could not be read'));
    worker.on('error', (error: Partial<NodeJS.ErrnoException> | undefined) =>
      lost(
        error?.code === 'ERR_WORKER_OUT_OF_MEMORY'
          ? 'ran out of memory'
          : // What cannot be handed over to this thread comes without a message.
            `failed (${error?.message ?? 'it could not hand over what it made'})`,
      ),
    );
    worker.on('exit', () => lost('was ended'));
    return {
      port: (question) =>
        new Promise((resolve) => {
          asked.push(resolve);
          worker.postMessage(question);
        }),
      end: () => void worker.terminate(),
    };
  };

/** A thread from a file beside this one, watched: what is asked of it comes, or fails with a reason for people. */
export function startThread<Q, A>(does: string, file: string, data?: unknown): Thread<Q, A> {
  const thread: Supervised<Ask<Q, A>> = supervised(
    does,
    startingThread(new URL(file, import.meta.url), data),
  );
  return { ask: (question) => thread.ask((port) => port(question)), end: thread.end };
}
