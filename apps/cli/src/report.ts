import { FileError } from '@evlay/core/format';

/** Prints one line for people and sets the exit status: 1 for a file that cannot be used. */
export function fail(error: unknown): void {
  const message = error instanceof Error ? error.message : String(error);
  const known = error instanceof FileError || (error as NodeJS.ErrnoException).code !== undefined;
  const line = message.replace(/\s*\n\s*/g, ' ');
  process.stderr.write(`evlay: ${known ? '' : 'something went wrong: '}${line}\n`);
  process.exitCode = 1;
}

/** Shows what part of the work is done on standard error, if that is a terminal. */
export function showProgress(done: number): void {
  if (!process.stderr.isTTY) return;
  process.stderr.write(done >= 1 ? '\r\u001b[K' : `\rbaking ${Math.floor(done * 100)} %`);
}
