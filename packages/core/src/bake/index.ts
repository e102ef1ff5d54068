/** A range sampled, in parts that several workers share. */
export * from './bake.js';
export * from './parts.js';
export * from './plan.js';
