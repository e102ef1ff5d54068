/** Longest text of an object or a list that is written on one line, in characters. */
const LONGEST = 100;

/** Texts of objects that do not change, each at the depth at which it was written last. */
export type KnownTexts = WeakMap<object, { readonly indent: string; readonly text: string }>;

/**
 * A value as JSON text for people, indented by two: what is short, and every key of a curve, is one line. With `known` the texts of curves
 * are kept there, and taken from there.
 */
export function jsonText(value: unknown, indent = '', onOneLine = false, known?: KnownTexts): string {
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  if (!known || onOneLine || !('keys' in value)) return textOf(value, indent, onOneLine, known);
  const before = known.get(value);
  if (before?.indent === indent) return before.text;
  const text = textOf(value, indent, onOneLine, undefined);
  known.set(value, { indent, text });
  return text;
}

function textOf(value: object, indent: string, onOneLine: boolean, known: KnownTexts | undefined): string {
  const inner = `${indent}  `;
  // A key, or another list that begins with a number, is a line however long it is.
  const flat = onOneLine || (Array.isArray(value) && typeof value[0] === 'number');
  const items = Array.isArray(value)
    ? value.filter((item) => item !== undefined).map((item) => jsonText(item, inner, flat, known))
    : Object.entries(value).flatMap(([name, item]) =>
        item === undefined ? [] : [`${JSON.stringify(name)}: ${jsonText(item, inner, flat, known)}`],
      );
  const [open, close] = Array.isArray(value) ? '[]' : '{}';
  if (items.length === 0) return open + close;
  if (flat || fitsOnLine(items)) return `${open}${items.join(', ')}${close}`;
  const next = `,\n${inner}`;
  // What holds texts that are kept is put together without copying them: that is done once, for the whole text.
  const all = known ? items.reduce((text, item) => text + next + item) : items.join(next);
  return `${open}\n${inner}${all}\n${indent}${close}`;
}

/** Whether texts are short enough for one line, which long ones are not joined to find out. */
function fitsOnLine(items: readonly string[]): boolean {
  let length = 2 * (items.length - 1);
  for (const item of items) {
    length += item.length;
    if (length > LONGEST || item.includes('\n')) return false;
  }
  return true;
}
