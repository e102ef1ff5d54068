/** Every change a user can make, as a function from project to project. */
export * from './change.js';
export * from './copied-keys.js';
export * from './curves.js';
export * from './keys.js';
export * from './layers.js';
export * from './mask.js';
export * from './placement.js';
export * from './project.js';
export * from './refusal.js';
export * from './root.js';
export * from './span.js';
export * from './takes.js';
export * from './time.js';
