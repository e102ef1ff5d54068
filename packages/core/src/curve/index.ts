/** Keys, and curves compiled to rows of polynomials. */
export * from './curve.js';
export * from './cut.js';
export * from './evaluate.js';
export * from './few-keys.js';
export * from './handles.js';
export * from './larger.js';
export * from './sampled-keys.js';
export * from './shapes.js';
export * from './tidy.js';
