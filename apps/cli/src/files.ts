import { existsSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { checkSize, FileError, type ReadProject, readProject, readStack } from '@evlay/core';

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
  const folder = dirname(resolve(file));
  const name = inFolder ? basename(resolve(path)) : basename(file).replace(/\.[^.]*$/, '');
  try {
    return await readStack(bytes, name, (wanted) => {
      const beside = resolve(folder, wanted);
      return existsSync(beside) && statSync(beside).isFile() ? { bytes: readFile(beside) } : undefined;
    });
  } catch (error) {
    if (error instanceof FileError) throw new FileError(path, error.message);
    throw error;
  }
}

/** Writes beside the wanted file and moves it into place, so that a failure leaves what was there. */
export function writeFile(path: string, bytes: Uint8Array): void {
  const beside = `${path}.${process.pid}.part`;
  try {
    writeFileSync(beside, bytes);
    renameSync(beside, path);
  } catch (error) {
    rmSync(beside, { force: true });
    throw new FileError(path, `cannot be written (${(error as NodeJS.ErrnoException).code})`);
  }
}
