/** What a layer must hold so that a pose is seen. */
export type { WantedTransform } from './beneath.js';
export * from './hold-ends.js';
export * from './reach.js';
export * from './solve.js';
