/** Quaternions, Euler orders, matrices and elementary functions over flat buffers, in place. */
export * from './elementary.js';
export * from './euler.js';
export * from './hanging-chain.js';
export * from './matrix.js';
export * from './numbers.js';
export * from './quantile.js';
export * from './quaternion.js';
export * from './turn.js';
