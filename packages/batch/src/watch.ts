import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { FileError } from '@evlay/core/format';
import { isTakeFile } from './plan.js';

/** Milliseconds between two looks into a folder, and how long a file has to stay as it is to be whole. */
const LOOK = 400;
const STILL = 1000;

/** A take file that has appeared or changed, and stays as it is since. */
export type OnTakeFile = (path: string) => Promise<void>;

/**
 * Looks into folders until it is told to stop: every take file that is there, appears or changes is told once it is not written to
 * any longer, one after the other, in the order in which they were found.
 */
export async function watchFolders(
  folders: readonly string[],
  onFile: OnTakeFile,
  signal: { readonly aborted: boolean },
): Promise<void> {
  for (const folder of folders)
    if (!existsSync(folder) || !statSync(folder).isDirectory())
      throw new FileError(folder, 'no such folder, expected one in which takes appear');
  const seen = new Map<string, { readonly state: string; readonly since: number; readonly told: boolean }>();
  while (!signal.aborted) {
    for (const path of filesIn(folders)) {
      const state = stateOf(path);
      if (state === undefined) continue;
      const known = seen.get(path);
      if (known?.state !== state) seen.set(path, { state, since: Date.now(), told: false });
      else if (!known.told && Date.now() - known.since >= STILL) {
        seen.set(path, { ...known, told: true });
        await onFile(path);
        if (signal.aborted) return;
      }
    }
    await new Promise((done) => setTimeout(done, LOOK));
  }
}

const filesIn = (folders: readonly string[]): string[] =>
  folders.flatMap((folder) =>
    readdirSync(folder)
      .filter(isTakeFile)
      .sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
      .map((name) => join(folder, name)),
  );

/** Size and time of a file, as text; undefined where it has gone, or holds nothing yet. */
function stateOf(path: string): string | undefined {
  const stat = statSync(path, { throwIfNoEntry: false });
  return stat?.isFile() && stat.size > 0 ? `${stat.size} ${stat.mtimeMs}` : undefined;
}
