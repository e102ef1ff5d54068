/** What comes of a kit on many takes: a project each, what is found before and after, its poses, its bake. */
export * from './applied.js';
export * from './bake-whole.js';
export * from './delivery.js';
export * from './project-for.js';
export * from './strip.js';
