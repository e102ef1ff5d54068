/** A range sampled, in parts that several workers share. */

export * from '../bake-error.js';
export * from './bake.js';
export * from './blocks.js';
export * from './components.js';
export * from './key-frames.js';
export * from './keys-source.js';
export * from './likeness.js';
export * from './losses.js';
export * from './merge.js';
export * from './of-character.js';
export * from './plan.js';
export * from './root-motion.js';
export * from './scene-file.js';
export * from './take-apart.js';
export * from './to-file.js';
export * from './wanted-keys.js';
