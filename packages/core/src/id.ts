const LETTERS = '0123456789abcdefghijklmnopqrstuvwxyz';
const LENGTH = 12;

/** A short random id, unique for layers, takes and keys within a project and for projects within a browser. */
export function newId(): string {
  let id = '';
  for (let k = 0; k < LENGTH; k++) id += LETTERS[Math.floor(Math.random() * LETTERS.length)];
  return id;
}
