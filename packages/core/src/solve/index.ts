/** What a layer must hold so that a pose is seen; limbs that reach, joints that turn together, saved poses. */
export type { WantedTransform } from './beneath.js';
export * from './curl.js';
export * from './hold-ends.js';
export * from './saved-pose.js';
export * from './scale-joints.js';
export * from './solve.js';
export * from './turn-joints.js';
