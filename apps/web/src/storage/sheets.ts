import type { Applied } from '@evlay/core/apply';
import localforage from 'localforage';

/** What came of a kit on one take of a project. */
export interface SheetEntry {
  /** The id of the take. */
  readonly take: string;
  readonly name: string;
  readonly state: 'waiting' | 'done' | 'failed';
  readonly reason?: string;
  readonly applied?: Applied;
  /** The project that it was opened as, to go on by hand, and when that was looked at last. */
  readonly project?: string;
}

/** What came of a kit on many takes of a project. */
export interface Sheet {
  /** The id of the project. */
  readonly of: string;
  readonly projectName: string;
  readonly kit: { readonly name: string; readonly file: string; readonly bytes: Uint8Array };
  readonly entries: readonly SheetEntry[];
}

/** One sheet for each project: the last one. */
const sheets = localforage.createInstance({ name: 'evlay', storeName: 'sheets' });

const isSheet = (value: unknown): value is Sheet => {
  const { of, kit, entries } = (value ?? {}) as Partial<Sheet>;
  return typeof of === 'string' && kit?.bytes instanceof Uint8Array && Array.isArray(entries);
};

export async function readSheets(): Promise<Sheet[]> {
  const found: Sheet[] = [];
  await sheets.iterate<unknown, void>((value) => {
    if (isSheet(value)) found.push(value);
  });
  return found;
}

export const putSheet = async (sheet: Sheet): Promise<void> => {
  await sheets.setItem(sheet.of, sheet);
};

export const removeSheet = (of: string): Promise<void> => sheets.removeItem(of);
