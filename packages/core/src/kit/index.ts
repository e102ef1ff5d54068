/** What of a motion layers hang on: its events. */
export * from './events.js';
