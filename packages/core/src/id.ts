/** A short random id, unique for layers, takes and keys within a project and for projects within a browser. */
export function newId(): string {
  let id = '';
  while (id.length < 12) id += Math.random().toString(36).slice(2);
  return id.slice(0, 12);
}
