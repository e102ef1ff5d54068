/** Joints of a capture to joints of a character. */
export * from './align.js';
export * from './faces.js';
export * from './fit.js';
export * from './match.js';
