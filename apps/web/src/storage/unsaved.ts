import { type ProjectRecord, readRecord, readState, type Save, type StoredState } from './record.js';

/**
 * What a page that is being left has not put away yet. The browser does not wait for its database then, but it does
 * for its local storage, which is written at once: it takes the record and the states that are new, and the next page
 * puts them away. Files are too large for it; they are written as soon as they come in.
 */
const PREFIX = 'evlay.unsaved.';

const store = (): Storage | undefined => {
  try {
    return globalThis.localStorage;
  } catch {
    // A browser that keeps nothing for the page says so by throwing.
    return undefined;
  }
};

interface Unsaved {
  readonly record: ProjectRecord;
  readonly states: ReadonlyMap<string, StoredState>;
}

/** Writes down a save without waiting; `there` are the states that are on disk already. False where there is no room. */
export function writeUnsaved({ record, states }: Save, there: ReadonlySet<string>): boolean {
  const missing = [...states].filter(([digest]) => !there.has(digest));
  const write = (kept: ProjectRecord, pairs: typeof missing) => {
    try {
      store()?.setItem(PREFIX + record.id, JSON.stringify({ record: kept, states: pairs }));
      return true;
    } catch {
      return false;
    }
  };
  if (write(record, missing)) return true;
  // Without room for the whole history, the work itself.
  const known = (digest: string) => there.has(digest);
  const short = { ...record, past: record.past.filter(known), future: [] };
  return write(
    short,
    missing.filter(([digest]) => digest === record.state),
  );
}

/** What pages wrote down when they were left. */
export function unsavedSaves(): Unsaved[] {
  const local = store();
  if (!local) return [];
  return Object.keys(local)
    .filter((key) => key.startsWith(PREFIX))
    .flatMap((key) => {
      try {
        const { record: value, states } = JSON.parse(local.getItem(key)!);
        const record = readRecord(value);
        const read = new Map<string, StoredState>();
        for (const [digest, text] of states) {
          const state = readState(text);
          if (state) read.set(digest, state);
        }
        if (record) return [{ record, states: read }];
      } catch {
        // Half a text is worth nothing; what was saved before stays.
      }
      local.removeItem(key);
      return [];
    });
}

/** Forgets what was written down of a project, once that or something newer is on disk. */
export function dropUnsaved(id: string, saved: number): void {
  const local = store();
  const text = local?.getItem(PREFIX + id);
  if (!local || !text) return;
  try {
    if (JSON.parse(text).record.saved > saved) return;
  } catch {
    // It cannot be read, and is of no use.
  }
  local.removeItem(PREFIX + id);
}
