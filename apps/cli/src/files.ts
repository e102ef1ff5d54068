import {
  chmodSync,
  closeSync,
  existsSync,
  ftruncateSync,
  openSync,
  readFileSync,
  readSync,
  realpathSync,
  renameSync,
  rmSync,
  statfsSync,
  statSync,
  writeSync,
} from 'node:fs';
import { basename, dirname, extname, isAbsolute, join, relative, resolve, sep } from 'node:path';
import {
  checkSize,
  cut,
  FileError,
  inFileAsync,
  kindOf,
  LIMITS,
  openedText,
  quote,
  type ReadProject,
  readProject,
  readStack,
} from '@evlay/core/format';
import { isSpooled, isStandardOutput } from './standard.js';

/** Files that were read, as they are on the disk: what is written may be none of them. */
const inputs = new Set<string>();

const reasonOf = (error: unknown): string =>
  (error as NodeJS.ErrnoException).code ?? (error as Error).message;

/** Reads a file, or says in words that it cannot. */
export function readFile(path: string): Uint8Array {
  if (!existsSync(path)) throw new FileError(path, 'no such file');
  const stat = statSync(path);
  if (stat.isDirectory()) throw new FileError(path, 'this is a folder, expected a file');
  try {
    // A pipe has no size before it ends.
    const bytes = stat.isFile() ? readWhole(path, stat.size) : readPipe(path);
    checkSize(path, bytes.length);
    if (stat.isFile()) inputs.add(realpathSync(path));
    return bytes;
  } catch (error) {
    if (error instanceof FileError) throw error;
    throw new FileError(path, `cannot be read (${reasonOf(error)})`);
  }
}

function readWhole(path: string, size: number): Uint8Array {
  checkSize(path, size);
  return readFileSync(path);
}

function readPipe(path: string): Uint8Array {
  const pipe = openSync(path, 'r');
  const chunks: Buffer[] = [];
  let length = 0;
  try {
    for (;;) {
      const chunk = Buffer.alloc(1 << 20);
      const count = readSync(pipe, chunk);
      if (count === 0) return Buffer.concat(chunks);
      chunks.push(chunk.subarray(0, count));
      length += count;
      if (length > LIMITS.file) checkSize(path, length);
    }
  } finally {
    closeSync(pipe);
  }
}

/**
 * Opens a stack file, a project, or the folder of an unzipped project. What the folder of a project names lies in it; a stack
 * may name files elsewhere, but for those outside of `root`.
 */
export async function openStack(path: string, root?: string): Promise<ReadProject> {
  const inFolder = existsSync(path) && statSync(path).isDirectory();
  const file = inFolder ? join(path, 'stack.json') : path;
  if (root !== undefined) checkInside(root, file, file);
  const bytes = readFile(file);
  const ending = extname(file).toLowerCase();
  if (ending !== '' && ending !== '.json' && !kindOf(file))
    throw new FileError(path, `${ending} files are not read, expected ${openedText()}, or a stack in JSON`);
  if (/\.evlay$/i.test(file)) return readProject(bytes, path);
  const find = beside(file, inFolder ? path : root);
  const name = inFolder ? basename(resolve(path)) : basename(file).replace(/\.[^.]*$/, '');
  return inFileAsync(path, () =>
    readStack(bytes, name, (wanted) => {
      const found = find(wanted);
      return found && { bytes: found };
    }),
  );
}

/**
 * Finds the files that a file names, from the folder on in which that is. With a `root` they have to lie in that folder,
 * wherever links lead; another one is refused, whether it is there or not.
 */
export const beside =
  (path: string, root?: string) =>
  (name: string): Uint8Array | undefined => {
    const wanted = resolve(isSpooled(path) ? '.' : dirname(resolve(path)), name);
    if (root !== undefined) checkInside(root, wanted, name);
    return existsSync(wanted) && statSync(wanted).isFile() ? readFile(wanted) : undefined;
  };

/** Finds the files that a `.gltf` names: none outside of its own folder. */
export const besideGltf = (path: string) => beside(path, dirname(resolve(path)));

/** Refuses a file that does not lie in a folder. `name` is what it was called. */
function checkInside(root: string, path: string, name: string): void {
  if (!existsSync(root) || !statSync(root).isDirectory())
    throw new FileError(root, 'no such folder, expected one that holds the files');
  const within = (folder: string, file: string) => {
    const way = relative(folder, file);
    return way !== '..' && !way.startsWith(`..${sep}`) && !isAbsolute(way);
  };
  const named = resolve(path);
  const inside =
    within(resolve(root), named) && (!existsSync(named) || within(realpathSync(root), realpathSync(named)));
  if (!inside)
    throw new FileError(cut(name), `the file lies outside of ${quote(root)}, expected one in that folder`);
}

/** Says what is doubtful on standard error, a line each. */
export function tellWarnings(warnings: readonly string[]): void {
  for (const warning of warnings) process.stderr.write(`evlay: warning: ${warning}\n`);
}

/** Files that are being written; what ends the command takes them away. */
const parts = new Set<string>();

const SIGNALS = { SIGINT: 130, SIGTERM: 143, SIGHUP: 129 } as const;

/**
 * What ends the command while a file is being written. Otherwise nothing listens, so that the system ends it at once, in the
 * middle of whatever it computes.
 */
const endInOrder = (signal: NodeJS.Signals): void => {
  for (const part of parts) rmSync(part, { force: true });
  process.exit(SIGNALS[signal as keyof typeof SIGNALS]);
};

function beginPartial(part: string): void {
  if (parts.size === 0) for (const signal of Object.keys(SIGNALS)) process.on(signal, endInOrder);
  parts.add(part);
}

function endPartial(part: string): void {
  if (!parts.delete(part) || parts.size > 0) return;
  for (const signal of Object.keys(SIGNALS)) process.off(signal, endInOrder);
}

/** Refuses an output that is one of the files that were read. */
export function checkOut(path: string): void {
  if (existsSync(path) && inputs.has(realpathSync(path)))
    throw new FileError(path, 'it is one of the files that are read, expected another one to write to');
}

/** Bytes that are free where a file is to be written; without end where that is not known. */
export function roomFor(path: string): number {
  try {
    const { bavail, bsize } = statfsSync(dirname(resolve(path)));
    return bavail * bsize;
  } catch {
    return Number.POSITIVE_INFINITY;
  }
}

/** Writes a file whose bytes are there already. */
export const writeFile = (path: string, bytes: Uint8Array): Promise<void> =>
  writeFileIn(path, async (sink) => {
    sink.begin();
    sink.write({ at: 0, bytes });
  });

/** Where the ranges of a file go, in any order. */
interface Sink {
  readonly begin: () => void;
  readonly write: (range: { readonly at: number; readonly bytes: Uint8Array }) => void;
}

/**
 * Writes beside the wanted file and moves it into place, so that a failure leaves what was there. A link is followed,
 * and a file that is replaced keeps its mode. What is no file, such as a pipe, is written to as it is, in the end.
 */
export async function writeFileIn<T>(path: string, work: (sink: Sink) => Promise<T>): Promise<T> {
  if (isStandardOutput(path)) return writeInOrder(standardOutput, work);
  checkOut(path);
  const there = existsSync(path) ? realpathSync(path) : path;
  const before = existsSync(there) ? statSync(there) : undefined;
  const direct = before !== undefined && !before.isFile() && !before.isDirectory();
  const part = direct ? there : `${there}.${process.pid}.part`;
  try {
    if (!direct) beginPartial(part);
    const out = openSync(part, 'w');
    let result: T;
    try {
      if (direct) result = await writeInOrder((bytes) => writeAll(out, bytes), work);
      else
        result = await work({
          begin: () => ftruncateSync(out, 0),
          write: ({ at, bytes }) => writeAll(out, bytes, at),
        });
    } finally {
      closeSync(out);
    }
    if (direct) return result;
    if (before) chmodSync(part, before.mode & 0o7777);
    renameSync(part, there);
    return result;
  } catch (error) {
    if (!direct) rmSync(part, { force: true });
    if (error instanceof FileError || !(error as NodeJS.ErrnoException).syscall) throw error;
    throw new FileError(path, `cannot be written (${reasonOf(error)})`);
  } finally {
    endPartial(part);
  }
}

/** Writes to standard output, which may be a pipe that is read slowly. */
const standardOutput = (bytes: Uint8Array): Promise<void> =>
  new Promise((done, fail) => process.stdout.write(bytes, (error) => (error ? fail(error) : done())));

/** Writes what can only be written from its beginning on, such as a pipe, when all of it is there. */
async function writeInOrder<T>(
  put: (bytes: Uint8Array) => void | Promise<void>,
  work: (sink: Sink) => Promise<T>,
): Promise<T> {
  const ranges = new Map<number, Uint8Array>();
  const result = await work({
    begin: () => ranges.clear(),
    write: ({ at, bytes }) => ranges.set(at, bytes),
  });
  for (const [, bytes] of [...ranges].sort(([a], [b]) => a - b)) await put(bytes);
  return result;
}

/** Writes all bytes, at a place of the file or where it stands. */
function writeAll(out: number, bytes: Uint8Array, at?: number): void {
  for (let done = 0; done < bytes.length; )
    done += writeSync(out, bytes, done, bytes.length - done, at === undefined ? null : at + done);
}
