/** Joints, rest pose, global transforms, parts of the body. */
export * from './names.js';
export * from './parts.js';
export * from './pose.js';
export * from './rig.js';
