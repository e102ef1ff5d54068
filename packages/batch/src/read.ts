import { createHash } from 'node:crypto';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import { checkSize, FileError, type FindFile, quote } from '@evlay/core/format';

/** SHA-256 of bytes, in hexadecimal digits. */
export const digestOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Reads a file, or says in words that it cannot: `name` is what it is called. */
export function readBytes(path: string, name = path): Uint8Array {
  if (!existsSync(path)) throw new FileError(name, 'no such file');
  const stat = statSync(path);
  if (!stat.isFile()) throw new FileError(name, 'this is no file');
  checkSize(name, stat.size);
  try {
    return readFileSync(path);
  } catch (error) {
    throw new FileError(
      name,
      `cannot be read (${(error as NodeJS.ErrnoException).code ?? (error as Error).message})`,
    );
  }
}

/** Reads a file that has to be what it was when the batch was planned. */
export function readSame({ path, digest }: { readonly path: string; readonly digest: string }): Uint8Array {
  const bytes = readBytes(path);
  if (digestOf(bytes) !== digest)
    throw new FileError(
      path,
      'it has changed since the batch was planned, expected the same file: run it again',
    );
  return bytes;
}

/** Finds the files that a file names, in its own folder and below. */
export const findBeside =
  (path: string): FindFile =>
  (name) => {
    const folder = dirname(resolve(path));
    const wanted = resolve(folder, name);
    if (relative(folder, wanted).startsWith('..'))
      throw new FileError(path, `it names ${quote(name)}, expected files beside it`);
    return existsSync(wanted) && statSync(wanted).isFile() ? { bytes: readBytes(wanted) } : undefined;
  };
