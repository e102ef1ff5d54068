/** Most of a text that an error repeats. */
const QUOTED = 80;
/** An error is a line that people read. */
const LONGEST = 600;

/**
 * A file that cannot be used. The message is one line for people: what is wrong, where, and what was
 * expected. `where` is a path such as `layers[1].channels` or `line 12`.
 */
export class FileError extends Error {
  readonly where: string;

  constructor(where: string, message: string) {
    const line = where ? `${where}: ${message}` : message;
    super(line.length > LONGEST ? `${line.slice(0, LONGEST)} …` : line);
    this.name = 'FileError';
    this.where = where;
  }
}

/** What a file says, as an error repeats it: cut short, on one line. */
export const cut = (text: string): string =>
  (text.length > QUOTED ? `${text.slice(0, QUOTED - 1)}…` : text).replace(/[\s\p{C}]+/gu, ' ');

/** The same in quotation marks. */
export const quote = (text: string): string => `"${cut(text)}"`;

/** The name of a file and the place in it, for an error that knows only the place. */
export function inFile<T>(file: string, read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw named(file, error);
  }
}

/** {@link inFile} of what takes its time. */
export async function inFileAsync<T>(file: string, read: () => Promise<T>): Promise<T> {
  try {
    return await read();
  } catch (error) {
    throw named(file, error);
  }
}

/** An error with the name of the file in front, if it is one of a file. */
export const named = (file: string, error: unknown): unknown =>
  error instanceof FileError ? new FileError(cut(file), error.message) : error;

/** Decodes a text file, refusing one that is binary. A byte-order mark is skipped. */
export function decodeText(bytes: Uint8Array, expected: string): string {
  const head = bytes.subarray(0, 4096);
  if (head.includes(0)) throw new FileError('', `the file is binary, expected ${expected}`);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    // Old files name joints in Latin-1; every byte means something there.
    return new TextDecoder('latin1').decode(bytes);
  }
}
