/** Longest text of an object or a list that is written on one line, in characters. */
const LONGEST = 100;

/**
 * A value as JSON text for people, indented by two: what is short, and every key of a curve, is one line.
 */
export function jsonText(value: unknown, indent = '', onOneLine = false): string {
  const inner = `${indent}  `;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  // A key, or another list that begins with a number, is a line however long it is.
  const flat = onOneLine || (Array.isArray(value) && typeof value[0] === 'number');
  const items = Array.isArray(value)
    ? value.filter((item) => item !== undefined).map((item) => jsonText(item, inner, flat))
    : Object.entries(value).flatMap(([name, item]) =>
        item === undefined ? [] : [`${JSON.stringify(name)}: ${jsonText(item, inner, flat)}`],
      );
  const [open, close] = Array.isArray(value) ? '[]' : '{}';
  if (items.length === 0) return open + close;
  const line = items.join(', ');
  if (flat || (line.length <= LONGEST && !line.includes('\n'))) return `${open}${line}${close}`;
  return `${open}\n${inner}${items.join(`,\n${inner}`)}\n${indent}${close}`;
}
