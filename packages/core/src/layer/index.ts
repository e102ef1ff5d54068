/** The data: project, layer, what a curve is named by, a layer's time. */
export * from './address.js';
export * from './group.js';
export * from './layer.js';
export * from './project.js';
export * from './saved-pose.js';
export * from './time.js';
export * from './variant.js';
