import { existsSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { checkSize, FileError, type ReadProject, readProject, readStack } from '@evlay/core/format';

/** Reads a file, or says in words that it cannot. */
export function readFile(path: string): Uint8Array {
  if (!existsSync(path)) throw new FileError(path, 'no such file');
  if (statSync(path).isDirectory()) throw new FileError(path, 'this is a folder, expected a file');
  checkSize(path, statSync(path).size);
  try {
    return readFileSync(path);
  } catch (error) {
    throw new FileError(path, `cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
}

/** Opens a stack file, a project, or the folder of an unzipped project. */
export async function openStack(path: string): Promise<ReadProject> {
  const inFolder = existsSync(path) && statSync(path).isDirectory();
  const file = inFolder ? join(path, 'stack.json') : path;
  const bytes = readFile(file);
  if (/\.evlay$/i.test(file)) return readProject(bytes, path);
  const find = beside(file);
  const name = inFolder ? basename(resolve(path)) : basename(file).replace(/\.[^.]*$/, '');
  try {
    return await readStack(bytes, name, (wanted) => {
      const found = find(wanted);
      return found && { bytes: found };
    });
  } catch (error) {
    if (error instanceof FileError) throw new FileError(path, error.message);
    throw error;
  }
}

/** Finds the files that a file names, in the folder in which that is. */
export const beside =
  (path: string) =>
  (name: string): Uint8Array | undefined => {
    const wanted = resolve(dirname(resolve(path)), name);
    return existsSync(wanted) && statSync(wanted).isFile() ? readFile(wanted) : undefined;
  };

/** Says what is doubtful on standard error, a line each. */
export function tellWarnings(warnings: readonly string[]): void {
  for (const warning of warnings) process.stderr.write(`evlay: warning: ${warning}\n`);
}

/** Writes beside the wanted file and moves it into place, so that a failure leaves what was there. */
export function writeFile(path: string, bytes: Uint8Array): void {
  const part = `${path}.${process.pid}.part`;
  try {
    writeFileSync(part, bytes);
    renameSync(part, path);
  } catch (error) {
    rmSync(part, { force: true });
    throw new FileError(path, `cannot be written (${(error as NodeJS.ErrnoException).code})`);
  }
}
