import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FileError, kindOfBytes } from '@evlay/core/format';

/** What stands for standard input or output in place of the name of a file. */
const STANDARD = '-';

/** The file into which standard input was put, where it was. */
let spooled: string | undefined;

/** Whether a file holds what came by standard input: what it names lies in the folder in which the command was called. */
export const isSpooled = (path: string): boolean => path === spooled;

/** Whether the command reads standard input. */
export const readsStandardInput = (): boolean => spooled !== undefined;

/**
 * Puts standard input into a file of its own where one argument is `-`, so that all commands read it as they read any file;
 * how it begins says what it is. The file goes when the command ends. Throws `FileError`.
 */
export function takeStandardInput(args: readonly string[]): string[] {
  // As an output it is standard output.
  const meant = args.findIndex((arg, k) => arg === STANDARD && args[k - 1] !== '--out');
  if (meant < 0) return [...args];
  const bytes = readFileSync(0);
  const text = new TextDecoder().decode(bytes.subarray(0, 64)).trimStart();
  const ending = kindOfBytes(bytes)?.ending ?? (text.startsWith('{') ? '.json' : undefined);
  if (ending === undefined)
    throw new FileError(
      'standard input',
      'cannot be told what it is, expected BVH, GLB, a stack in JSON or a project',
    );
  const folder = mkdtempSync(join(tmpdir(), 'evlay-input-'));
  const path = join(folder, `standard-input${ending}`);
  process.on('exit', () => rmSync(folder, { recursive: true, force: true }));
  writeFileSync(path, bytes);
  spooled = path;
  return args.with(meant, path);
}

/** The name of an output of a kind as which `-` stands: `-` alone is text of a motion, `-.glb` and the like name the kind. */
export const outputName = (file: string): string => (file === STANDARD ? `${STANDARD}.bvh` : file);

/** Whether an output is standard output. */
export const isStandardOutput = (file: string): boolean => /^-\.[^/\\]+$/.test(file);

/** Refuses standard output where more than one thing would go there. Throws `FileError`. */
export function checkStandardOutput(out: string, beside: Readonly<Record<string, unknown>>): void {
  const [name] = Object.entries(beside).find(([, given]) => given) ?? [];
  if (isStandardOutput(out) && name !== undefined)
    throw new FileError('standard output', `takes one file and nothing else, expected no ${name}`);
}
