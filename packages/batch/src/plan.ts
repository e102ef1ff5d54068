import { existsSync, readdirSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import { endingsText, FileError, isKitFile, kindOf, TAKE_KINDS } from '@evlay/core/format';
import { type FileRef, recordSchema, type TakeJob, type TakeRecord } from './job.js';
import { digestOf, readBytes } from './read.js';

/** What a batch is to do. Paths are those of this machine. */
export interface BatchPlan {
  readonly kit: string;
  /** Files, and folders of which every take is meant. */
  readonly takes: readonly string[];
  readonly rig?: string;
  readonly out: string;
  readonly format: string;
  readonly tolerance?: number;
  readonly angle?: number;
}

/** Whether takes are read from a file, by its name. */
export const isTakeFile = (path: string): boolean =>
  kindOf(path)?.readTake !== undefined && !basename(path).startsWith('.') && !isKitFile(path);

/** The take files that paths name, in the order of their names; those of a folder lie in it, not below. Throws {@link FileError}. */
export function takeFilesIn(paths: readonly string[]): string[] {
  const byName = (a: string, b: string) => a.localeCompare(b, 'en', { numeric: true });
  const found = paths.flatMap((path) => {
    if (!existsSync(path)) throw new FileError(path, 'no such file or folder');
    if (!statSync(path).isDirectory()) return [path];
    return readdirSync(path)
      .filter((name) => isTakeFile(name))
      .sort(byName)
      .map((name) => join(path, name));
  });
  return [...new Set(found)];
}

/** A file with the digest of what is in it now. */
export const refTo = (path: string): FileRef => ({ path, digest: digestOf(readBytes(path)) });

/** What of a batch is the same for all of its takes. */
export type Shared = Pick<TakeJob, 'kit' | 'rig' | 'out' | 'format' | 'tolerance' | 'angle'>;

export const sharedOf = ({ kit, rig, out, format, tolerance, angle }: BatchPlan): Shared => ({
  kit: refTo(kit),
  ...(rig !== undefined && { rig: refTo(rig) }),
  out,
  format,
  ...(tolerance !== undefined && { tolerance }),
  ...(angle !== undefined && { angle }),
});

/** What results are called after: the name of a file without its ending, with a number where another one of the batch has it. */
export function namesOf(files: readonly string[], taken: Iterable<string> = []): string[] {
  const used = new Set([...taken].map((name) => name.toLowerCase()));
  return files.map((file) => {
    const stem = basename(file).replace(/\.[^.]*$/, '') || 'take';
    let name = stem;
    for (let k = 2; used.has(name.toLowerCase()); k++) name = `${stem}-${k}`;
    used.add(name.toLowerCase());
    return name;
  });
}

/** Refuses files from which no takes are read, and results that would be written over what they are made of. */
export function checkTakes(files: readonly string[]): void {
  const wrong = files.find((file) => !isTakeFile(file));
  if (wrong !== undefined)
    throw new FileError(wrong, `takes are not read from it, expected ${endingsText(TAKE_KINDS)}`);
}

/** The folder in which it is kept what came of each take file. */
const RECORDS = 'results';

export const recordPath = ({ out, name }: Pick<TakeJob, 'out' | 'name'>): string =>
  join(out, RECORDS, `${name}.json`);

/** What came of a job, where all of it is there, whole, and made of the same files in the same way; undefined where not. */
export function recordOf(
  job: TakeJob,
  toLocal: (path: string) => string = (path) => path,
): TakeRecord | undefined {
  const path = toLocal(recordPath(job));
  if (!existsSync(path)) return undefined;
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder().decode(readBytes(path)));
  } catch {
    return undefined;
  }
  const read = recordSchema.safeParse(json);
  if (!read.success || keyOf(read.data.job) !== keyOf(job)) return undefined;
  const whole = read.data.files.every(({ name, size, digest }) => {
    const file = toLocal(join(job.out, name));
    return existsSync(file) && statSync(file).size === size && digestOf(readBytes(file)) === digest;
  });
  return whole ? read.data : undefined;
}

/** What a job makes of what, as text: two with the same text make the same bytes. */
export const keyOf = ({ kit, take, rig, name, format, tolerance, angle }: TakeJob): string =>
  JSON.stringify([kit.digest, take.digest, rig?.digest ?? '', name, format, tolerance ?? '', angle ?? '']);
