/**
 * What a record has under a name that somebody else chose. `record[name]` also finds what every object has:
 * `constructor`, `__proto__`.
 */
export const entryOf = <T>(record: Readonly<Record<string, T>> | undefined, name: string): T | undefined =>
  record && Object.hasOwn(record, name) ? record[name] : undefined;

/** A record that is filled name by name, with any names: `record.__proto__ = value` is a name like another there. */
export const emptyRecord = <T>(from?: Readonly<Record<string, T>>): Record<string, T> =>
  Object.assign(Object.create(null), from);

/**
 * `{ ...one, ...more }` for what is read in hot loops. Node.js 20 gives every object that is spread and then given further
 * properties a hidden class of its own, and compiles what reads it anew for each; those that are put together so share one.
 */
export const withMore = <A extends object, B extends object>(one: A, more: B): Omit<A, keyof B> & B =>
  Object.assign({}, one, more);
