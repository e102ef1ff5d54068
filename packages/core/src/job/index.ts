/** What long work is: steps, progress, cancel, and workers that are watched. */
export * from './job.js';
export * from './slices.js';
export * from './steps.js';
export * from './supervised.js';
