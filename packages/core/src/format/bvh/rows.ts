import { FileError, quote } from '../error.js';
import { checkLimit, LIMITS } from '../limits.js';
import { decimal, isBlank } from './tokens.js';

/** Powers of ten that a double holds exactly. */
const POWERS = Array.from({ length: 23 }, (_, k) => 10 ** k);

/** Rows that are read before they are handed over. */
const AT_ONCE = 256;

/**
 * Reads the rows of MOTION from text that comes piece after piece, each of whole lines. Plain decimals of up to 15 digits are
 * read digit by digit, which is exact: both the digits and the power of ten fit a double. Everything else goes through
 * `Number`. Throws {@link FileError} that names the line.
 */
export class Rows {
  /** Rows so far. */
  count = 0;
  private inRow = 0;
  private readonly values: Float64Array;

  /** `width` is how many values a row has, `line` that of the text which comes first; `take` is given rows as they are read, to be copied. */
  constructor(
    private readonly width: number,
    private line: number,
    private readonly take: (values: Float64Array, rows: number) => void,
  ) {
    this.values = new Float64Array(AT_ONCE * width);
  }

  read(text: string): void {
    const { values, width } = this;
    const length = text.length;
    let inRow = this.inRow;
    let filled = (this.count % AT_ONCE) * width + inRow;
    let p = 0;
    while (p < length) {
      let c = text.charCodeAt(p);
      if (c === 10) {
        this.inRow = inRow;
        this.endRow();
        inRow = 0;
        filled = (this.count % AT_ONCE) * width;
        this.line++;
        p++;
        continue;
      }
      if (isBlank(c)) {
        p++;
        continue;
      }
      const start = p;
      const negative = c === 45;
      if (negative || c === 43) c = text.charCodeAt(++p);
      let mantissa = 0;
      let digits = 0;
      let decimals = 0;
      for (; c >= 48 && c <= 57; c = text.charCodeAt(++p)) {
        mantissa = mantissa * 10 + c - 48;
        digits++;
      }
      if (c === 46) {
        for (c = text.charCodeAt(++p); c >= 48 && c <= 57; c = text.charCodeAt(++p)) {
          mantissa = mantissa * 10 + c - 48;
          digits++;
          decimals++;
        }
      }
      let value = negative ? -mantissa / POWERS[decimals] : mantissa / POWERS[decimals];
      if (digits === 0 || digits > 15 || (p < length && !isBlank(c))) {
        while (p < length && !isBlank(text.charCodeAt(p))) p++;
        value = this.other(text.slice(start, p), inRow);
      }
      if (inRow === width)
        throw new FileError(`line ${this.line}`, `more than ${width} values, expected ${width}`);
      values[filled++] = value;
      inRow++;
    }
    this.inRow = inRow;
  }

  /** Ends the last row, and hands over what is left. */
  end(): void {
    this.endRow();
    if (this.count % AT_ONCE > 0) this.take(this.values, this.count % AT_ONCE);
  }

  private endRow(): void {
    const { inRow, width } = this;
    if (inRow === 0) return;
    if (inRow !== width) throw new FileError(`line ${this.line}`, `${inRow} values, expected ${width}`);
    this.inRow = 0;
    this.count++;
    checkLimit(`line ${this.line}`, this.count, LIMITS.samples, 'rows');
    if (this.count % AT_ONCE > 0) return;
    checkLimit(`line ${this.line}`, this.count * width, LIMITS.values, 'values');
    this.take(this.values, AT_ONCE);
  }

  /** A number that is no plain decimal of few digits. */
  private other(token: string, inRow: number): number {
    const value = decimal(token);
    if (!Number.isNaN(value)) return value;
    throw new FileError(
      `line ${this.line}`,
      `${quote(token)} as value ${inRow + 1}, expected a finite number`,
    );
  }
}
