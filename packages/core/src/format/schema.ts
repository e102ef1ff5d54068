import { z } from 'zod';
import { cut, FileError } from './error.js';

/** What is checked by the schemas of all files, and how what is wrong is said. */

/** Hands on what is wrong with an entry of a list or a record, at its place. */
function entryIssue(context: z.core.$RefinementCtx, place: PropertyKey, issue: z.core.$ZodIssue): void {
  context.issues.push({ ...issue, path: [place, ...issue.path] } as z.core.$ZodRawIssue);
}

/**
 * A list of which only the first wrong element is reported. A list of the library reports all of them, which takes
 * memory and, with some hundred thousand of them, more arguments than a function can have. `isPlain` tells elements of
 * long lists that are right as they stand, so that the schema need not look at them: a stack of 400,000 keys is read twice as fast.
 */
export const listOf = <T extends z.ZodType>(element: T, isPlain?: (value: unknown) => boolean) =>
  z.array(z.unknown()).transform((list, context): z.output<T>[] => {
    const read: z.output<T>[] = [];
    for (let i = 0; i < list.length; i++) {
      if (isPlain?.(list[i])) {
        read.push(list[i] as z.output<T>);
        continue;
      }
      const one = element.safeParse(list[i], { reportInput: true });
      if (!one.success) {
        entryIssue(context, i, one.error.issues[0]);
        return z.NEVER;
      }
      read.push(one.data);
    }
    return read;
  });

/** An object with any names, `__proto__` among them; only the first wrong value is reported. */
export const recordOf = <T extends z.ZodType>(value: T) =>
  z
    .custom<object>(isRecord, { error: 'expected an object' })
    .transform((record, context): Record<string, z.output<T>> => {
      const read: [string, z.output<T>][] = [];
      for (const [name, found] of Object.entries(record)) {
        const one = value.safeParse(found, { reportInput: true });
        if (!one.success) {
          entryIssue(context, name, one.error.issues[0]);
          return z.NEVER;
        }
        read.push([name, one.data]);
      }
      return Object.fromEntries(read);
    });

const isRecord = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Reads a value by its schema. Throws {@link FileError} with a path; `whole` is what a path to nothing is called. */
export function readBy<T extends z.ZodType>(schema: T, value: unknown, whole: string): z.output<T> {
  const parsed = schema.safeParse(value, { reportInput: true });
  if (!parsed.success) throw fromIssue(parsed.error.issues[0], whole);
  return parsed.data;
}

function fromIssue(issue: z.core.$ZodIssue, whole: string): FileError {
  const path = [...issue.path];
  // What is wrong inside a curve is more telling than "a number or a curve".
  if (issue.code === 'invalid_union') {
    const [deep] = issue.errors.flat().filter((inner) => inner.path.length > 0);
    if (deep && issue.message !== undefined && !issue.message.startsWith('expected'))
      return fromIssue({ ...deep, path: [...path, ...deep.path] } as z.core.$ZodIssue, whole);
  }
  if (issue.code === 'unrecognized_keys')
    return new FileError(pathText([...path, issue.keys[0]]), 'unknown field');
  if (issue.code === 'invalid_type' && issue.input === undefined)
    return new FileError(pathText(path), `missing, expected ${issue.expected}`);
  return new FileError(pathText(path) || whole, issue.message.replace(/^Invalid input: /, ''));
}

/** Writes a Zod path as people read it: `layers[1].channels.RightArm.rx.keys[2]`. */
export function pathText(path: readonly PropertyKey[]): string {
  return path
    .map((step, i) => {
      if (typeof step === 'number') return `[${step}]`;
      const name = cut(String(step));
      return /^[A-Za-z_]\w*$/.test(name) ? (i === 0 ? name : `.${name}`) : `[${JSON.stringify(name)}]`;
    })
    .join('');
}
