/** Motion made by rule: noise, springs, chains that follow their top, and walks. */
export * from './follow.js';
export * from './gait.js';
export * from './noise.js';
export * from './spring.js';
export * from './walk-pose.js';
export * from './walker.js';
