/** Kits: events of a motion, and layers that are put on other takes by them. */
export * from './each.js';
export * from './events.js';
export * from './kit.js';
export * from './line.js';
export * from './move-layer.js';
