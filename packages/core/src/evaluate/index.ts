/** A stack compiled and evaluated; who drives what. */
export * from './attribution.js';
export * from './by-part.js';
export * from './compile.js';
export * from './compiled.js';
export * from './contacts/contact-step.js';
export * from './evaluate.js';
export * from './frames.js';
export * from './gate.js';
export * from './loop-gap.js';
export * from './pose-block.js';
export * from './steps/channel-step.js';
export * from './steps/step.js';
export * from './steps/take-step.js';
export * from './steps/target-step.js';
