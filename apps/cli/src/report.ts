import { BakeError } from '@evlay/core/bake';
import { JoinError } from '@evlay/core/edit';
import { FileError } from '@evlay/core/format';

/** Prints one line for people and sets the exit status: 1 for a file that cannot be used. */
export function fail(error: unknown): void {
  const message = error instanceof Error ? error.message : String(error);
  const known =
    error instanceof FileError ||
    error instanceof BakeError ||
    error instanceof JoinError ||
    (error as Error | undefined)?.name === 'BakeError' ||
    (error as NodeJS.ErrnoException).code !== undefined;
  const line = message.replace(/\s*\n\s*/g, ' ');
  process.stderr.write(`evlay: ${known ? '' : 'something went wrong: '}${line}\n`);
  process.exitCode = 1;
}

/** Ends quietly where nobody reads standard output any more, and in a line where it cannot be written. */
export function mindOutput(): void {
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code === 'EPIPE') process.exit(0);
    process.stderr.write(`evlay: standard output cannot be written (${error.code ?? error.message})\n`);
    process.exit(1);
  });
  // With nobody to tell there is nothing left to say.
  process.stderr.on('error', () => process.exit(1));
}

/** Shows what part of the work is done on standard error, if that is a terminal. */
export function showProgress(done: number): void {
  if (!process.stderr.isTTY) return;
  process.stderr.write(done >= 1 ? '\r\u001b[K' : `\rworking ${Math.floor(done * 100)} %`);
}
