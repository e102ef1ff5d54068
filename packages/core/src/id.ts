/** Six letters and digits of 30 random bits; one string, since thousands of keys are made at once. */
const half = (): string => (2 ** 30 + Math.floor(Math.random() * 2 ** 30)).toString(36);

/** Where ids come from while {@link withIds} works; nothing outlasts its call. */
let given: { readonly ids: string[]; next: number } | undefined;

/** A short random id, unique for layers, takes and keys within a project and for projects within a browser. */
export function newId(): string {
  if (!given) return half() + half();
  const { ids, next } = given;
  given.next++;
  if (next === ids.length) ids.push(half() + half());
  return ids[next];
}

/** Does work that makes ids, so that it makes the same ones each time it is done with the same list. */
export function withIds<T>(ids: string[], work: () => T): T {
  const before = given;
  given = { ids, next: 0 };
  try {
    return work();
  } finally {
    given = before;
  }
}
