/** A range sampled, in parts that several workers share. */
export * from './bake.js';
export * from './components.js';
export * from './merge.js';
export * from './on-the-spot.js';
export * from './parts.js';
export * from './plan.js';
export * from './take-apart.js';
export * from './wanted-keys.js';
