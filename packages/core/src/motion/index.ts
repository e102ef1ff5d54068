/** Motion made by rule: noise, springs, and chains that follow their top. */
export * from './follow.js';
export * from './noise.js';
export * from './spring.js';
