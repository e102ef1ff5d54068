/**
 * A file that cannot be used. The message is one line for people: what is wrong, where, and what was
 * expected. `where` is a path such as `layers[1].channels` or `line 12`.
 */
export class FileError extends Error {
  readonly where: string;

  constructor(where: string, message: string) {
    super(where ? `${where}: ${message}` : message);
    this.name = 'FileError';
    this.where = where;
  }
}

/** What a library says of a file, as one line. */
export const reasonOf = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error)).replace(/[\s\p{C}]+/gu, ' ').trim();

/** Files larger than this are refused: a text file is held as bytes, as text and as samples at once. */
export const LARGEST_FILE = 256 * 1024 * 1024;

/** Refuses a file by its size alone. */
export function checkSize(name: string, size: number): void {
  if (size === 0) throw new FileError(name, 'the file is empty');
  if (size > LARGEST_FILE) {
    const megabytes = Math.round(size / 1024 / 1024);
    throw new FileError(
      name,
      `the file has ${megabytes} MB; files up to ${LARGEST_FILE / 1024 / 1024} MB are read, because it is held in memory three times over`,
    );
  }
}

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
