import { FILE_KINDS, kindOf, openedText } from '@evlay/core/format';
import type { PathFile, RefusedFile } from '../ui/dropped.js';

/** Whether a file can be opened, by the ending of its name. */
export const isOpened = ({ path }: Pick<PathFile, 'path'>): boolean => {
  const kind = kindOf(path);
  return kind?.opens !== undefined || kind?.id === 'zip';
};

export const nameOf = ({ path }: Pick<PathFile, 'path'>): string => path.slice(path.lastIndexOf('/') + 1);

const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1);
const BESIDE = FILE_KINDS.flatMap(({ beside = [] }) => beside);
const isBeside = ({ path }: PathFile): boolean =>
  BESIDE.some((ending) => path.toLowerCase().endsWith(ending));

/**
 * Files as they are opened, each with those beside it that it may need; characters before motions, in the order of their names.
 * What nothing opens is refused.
 */
export function fileSets(files: readonly PathFile[]): {
  readonly sets: readonly (readonly PathFile[])[];
  readonly refused: readonly RefusedFile[];
} {
  const beside = files.filter((file) => !isOpened(file) && isBeside(file));
  const opens = ({ path }: PathFile) => kindOf(path)?.opens ?? Number.POSITIVE_INFINITY;
  const mains = files
    .filter(isOpened)
    .sort((a, b) => opens(a) - opens(b) || a.path.localeCompare(b.path, 'en', { numeric: true }));
  const sets = mains.map((main) => {
    if (!kindOf(main.path)?.beside) return [main];
    const near = beside.filter(({ path }) => path.startsWith(folderOf(main.path)));
    return [main, ...(near.length > 0 ? near : beside)];
  });
  const strange = files.filter((file) => !isOpened(file) && !isBeside(file) && !nameOf(file).startsWith('.'));
  return {
    sets,
    refused: strange.map((file) => ({ file: nameOf(file), reason: `expected ${openedText()}` })),
  };
}
