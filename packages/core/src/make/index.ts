/** A take made of another, step by step. */
export * from './close.js';
export * from './contacts.js';
export * from './ground.js';
export * from './keep-hands.js';
export * from './make.js';
export * from './smooth-stretch.js';
export * from './travel.js';
