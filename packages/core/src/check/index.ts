/** What cannot be right about a take. */
export * from './take-check.js';
