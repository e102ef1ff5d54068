/** Sampled performances and their contacts. */
export * from './contacts.js';
export * from './doubts.js';
export * from './face-curve.js';
export * from './hands.js';
export * from './making.js';
export * from './reshape.js';
export * from './sample.js';
export * from './take.js';
