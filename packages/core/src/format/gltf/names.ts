/**
 * Names tell what a file brings apart in a stack: the second of one name gets a number. `taken` holds the names that are
 * given, with the number that the next one of it gets.
 */
export function freeName(name: string, taken: Map<string, number>): string {
  let free = name;
  let k = taken.get(name) ?? 1;
  while (taken.has(free)) free = `${name}-${++k}`;
  taken.set(name, k);
  if (free !== name) taken.set(free, 1);
  return free;
}
