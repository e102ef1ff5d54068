/** What cannot be right about a take; what is found in a motion, what it comes from, and how far layers can be turned up. */
export * from './alpha-range.js';
export * from './causes.js';
export * from './finding.js';
export * from './findings.js';
export * from './headroom.js';
export * from './idle.js';
export * from './seen.js';
export * from './stances.js';
export * from './stand.js';
export * from './standing.js';
export * from './take-check.js';
export * from './touching.js';
