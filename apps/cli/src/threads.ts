import { Worker } from 'node:worker_threads';

/** A thread that answers what it is asked, one after the other. */
export interface Thread<Q, A> {
  readonly ask: (question: Q) => Promise<A>;
  readonly end: () => void;
}

/** Starts a thread from a file beside this one. `data` comes along as its `workerData`. */
export function startThread<Q, A>(file: string, data?: unknown): Thread<Q, A> {
  const worker = new Worker(new URL(file, import.meta.url), { workerData: data });
  // Answers come in the order in which they were asked for.
  const asked: { resolve: (answer: A) => void; reject: (error: Error) => void }[] = [];
  worker.on('message', (answer: A) => asked.shift()?.resolve(answer));
  worker.on('error', (error: Error) => {
    for (const { reject } of asked.splice(0)) reject(error);
  });
  return {
    ask: (question) =>
      new Promise((resolve, reject) => {
        asked.push({ resolve, reject });
        worker.postMessage(question);
      }),
    end: () => void worker.terminate(),
  };
}
