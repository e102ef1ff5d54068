/** What a number may be written in, and how much of the number's own unit that is: `{ '%': 0.01, s: 30 }`. */
export type Units = Readonly<Record<string, number>>;

const NUMBER = /^([-+]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:e[-+]?\d+)?)\s*([^\d\s.,+*/-]*)$/i;

/**
 * What somebody typed into a field that holds `now`: a number, with a unit if there is one; with `+` in front it is
 * added (`+-5` takes away), with `*` or `/` it multiplies or divides. What is shown, and what is typed in the number's own unit,
 * is larger by `origin`, as the numbers of frames that begin at 1001. Undefined where it is none of that.
 */
export function typedNumber(text: string, now: number, units: Units = {}, origin = 0): number | undefined {
  const trimmed = text.trim();
  const sign = /^[+*/]/.test(trimmed) ? trimmed[0] : '';
  const found = NUMBER.exec(trimmed.slice(sign.length).trim());
  if (!found) return undefined;
  const unit = found[2].toLowerCase();
  const factor = unit === '' ? 1 : Object.hasOwn(units, unit) ? units[unit] : undefined;
  const number = Number(found[1].replace(',', '.'));
  if (factor === undefined || !Number.isFinite(number)) return undefined;
  if (sign === '*') return now * number;
  if (sign === '/') return number === 0 ? undefined : now / number;
  if (sign === '+') return now + number * factor;
  return number * factor - (factor === 1 ? origin : 0);
}

/** The factor that somebody typed for several numbers at once: `*2`, `/2` or `50 %`. Undefined where it is no factor. */
export function typedFactor(text: string): number | undefined {
  const trimmed = text.trim();
  if (/^[*/]/.test(trimmed)) return typedNumber(trimmed, 1);
  return trimmed.endsWith('%') && !/^[+-]/.test(trimmed) ? typedNumber(trimmed, 1, { '%': 0.01 }) : undefined;
}

/** What may be typed, in words. */
export const typingHelp = (units: Units = {}): string => {
  const names = Object.keys(units);
  return `a number such as 0.5, +0.1, *2 or /2${names.length > 0 ? `, in ${names.join(', ')}` : ''}`;
};
