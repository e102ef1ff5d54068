export * from './player.js';
