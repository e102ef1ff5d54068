/** Where one performance can take over from another. */
export * from './crossing.js';
export * from './crossings.js';
export * from './distance.js';
export * from './find.js';
export * from './judge.js';
export * from './performance.js';
export * from './places.js';
export * from './regions.js';
