/** What a layer must hold so that a pose is seen. */
export * from './reach.js';
export * from './solve.js';
