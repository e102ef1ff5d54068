/** Joints, rest pose, global transforms, parts of the body. */

export * from './compare-rigs.js';
export * from './compiled-limbs.js';
export * from './face-regions.js';
export * from './facing.js';
export * from './limbs.js';
export * from './members.js';
export * from './mirror.js';
export * from './names.js';
export * from './one-character.js';
export * from './part-sets.js';
export * from './parts.js';
export * from './placed.js';
export * from './pose.js';
export * from './reach.js';
export * from './rest.js';
export * from './rig.js';
export * from './roles.js';
export * from './topology.js';
export * from './unit.js';
