/** Joints, rest pose, global transforms, parts of the body. */

export * from './limbs.js';
export * from './mirror.js';
export * from './names.js';
export * from './part-sets.js';
export * from './parts.js';
export * from './pose.js';
export * from './rest.js';
export * from './rig.js';
export * from './roles.js';
