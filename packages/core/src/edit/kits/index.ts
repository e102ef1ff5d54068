export { kitRefusal, makeKit, type NewKit } from './make-kit.js';
export { kitCharacter, makeKitOf, projectOfCharacter, putKitOn } from './of-character.js';
export type { LeftOut } from './onto-rig.js';
export { type KitPut, lineOf, type PutOptions, type PutReport, putKit } from './put-kit.js';
