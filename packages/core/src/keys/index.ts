/** Motion that is given as samples as few keys. */
export * from './error-over-time.js';
export * from './find-keys.js';
export * from './fit-tracks.js';
export * from './keys-block.js';
export * from './keys-from-samples.js';
export * from './layer-keys.js';
export * from './motion-keys.js';
export * from './spline.js';
export type { WantedKey } from './track-fit.js';
export * from './tracks.js';
export * from './whole-pose.js';
