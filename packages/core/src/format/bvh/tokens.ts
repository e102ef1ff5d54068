import { FileError, quote } from '../error.js';
import { LIMITS } from '../limits.js';

/** A decimal number, with or without an exponent; nothing else that the language would take. */
const DECIMAL = /^[-+]?(\d+(\.\d*)?|\.\d+)(e[-+]?\d+)?$/i;

/** What parts values: white space, control characters, and a byte-order mark that another file left behind. */
export const isBlank = (c: number): boolean =>
  c <= 32 || c === 0xa0 || c === 0xfeff || c === 0x2028 || c === 0x2029;

/** The number that a token says; NaN where it is none, or none that a pose can hold. */
export function decimal(token: string): number {
  const value = DECIMAL.test(token) ? Number(token) : Number.NaN;
  return Math.abs(value) <= LIMITS.magnitude ? value : Number.NaN;
}

/** Letters of a file of another kind that an error repeats. */
const FIRST = 12;

const OPEN = '{'.charCodeAt(0);
const CLOSE = '}'.charCodeAt(0);

const endsToken = (code: number): boolean => isBlank(code) || code === OPEN || code === CLOSE;
const endsLine = (code: number): boolean => code === 10 || code === OPEN || code === CLOSE;

/** The words of a BVH file, one after the other, with the line in which each stands. */
export class Tokens {
  position = 0;
  line = 1;

  constructor(readonly text: string) {
    if (text.charCodeAt(0) === 0xfeff) this.position = 1;
  }

  private skip(): void {
    for (; this.position < this.text.length; this.position++) {
      const c = this.text.charCodeAt(this.position);
      if (c === 10) this.line++;
      else if (!isBlank(c)) return;
    }
  }

  /** The next token as it stands, or '' at the end of the file. */
  next(): string {
    this.skip();
    const start = this.position;
    const c = this.text[start];
    if (c === '{' || c === '}') this.position++;
    else
      while (this.position < this.text.length && !endsToken(this.text.charCodeAt(this.position)))
        this.position++;
    return this.text.slice(start, this.position);
  }

  fail(found: string, expected: string): never {
    const what = found === '' ? 'the file ends' : quote(found);
    throw new FileError(`line ${this.line}`, `${what}, expected ${expected}`);
  }

  expect(word: string, expected: string): void {
    const token = this.next();
    if (token.toUpperCase() === word) return;
    // Of a file that is no BVH at all no more is repeated than its first letters.
    this.fail(word === 'HIERARCHY' ? token.slice(0, FIRST) : token, expected);
  }

  number(expected: string): number {
    const token = this.next();
    const value = decimal(token);
    if (Number.isNaN(value)) this.fail(token, expected);
    return value;
  }

  /** The rest of this line up to a brace, trimmed. */
  restOfLine(): string {
    const start = this.position;
    while (this.position < this.text.length && !endsLine(this.text.charCodeAt(this.position)))
      this.position++;
    return copyOf(this.text.slice(start, this.position).trim());
  }
}

/** A string of its own: V8 lets a part of a text, of 13 letters or more, hold on to all of the text. */
const copyOf = (part: string): string => [...part].join('');
