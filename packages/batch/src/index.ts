/** One kit on many takes: what is to be done, by threads or by a queue, and the report of what came of it. */
export * from './job.js';
export * from './plan.js';
export * from './queue.js';
export * from './read.js';
export * from './report.js';
export * from './run.js';
export * from './store.js';
export * from './threads.js';
export * from './watch.js';
