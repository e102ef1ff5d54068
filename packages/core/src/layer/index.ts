/** The data: project, layer, what a curve is named by, a layer's time. */
export * from './address.js';
export * from './content.js';
export * from './finding-limits.js';
export * from './group.js';
export * from './held-contacts.js';
export * from './layer.js';
export * from './map-time.js';
export * from './mode.js';
export * from './project.js';
export * from './prop.js';
export * from './rig-take.js';
export * from './saved-pose.js';
export * from './target.js';
export * from './target-refusal.js';
export * from './time.js';
export * from './time-map.js';
export * from './variant.js';
