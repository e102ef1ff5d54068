/** What a layer must hold so that a pose is seen. */
export * from './solve.js';
