import { piecesOf } from './pieces.js';
import {
  type KeptState,
  type Known,
  listsOf,
  type ProjectRecord,
  readKept,
  readRecord,
  type Save,
} from './record.js';

/**
 * What a page that is being left has not put away yet. The browser does not wait for its database then, but it does
 * for its local storage, which is written at once: it takes the record, the states and the pieces that are new, and the next page
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
  readonly states: ReadonlyMap<string, KeptState>;
  readonly pieces: ReadonlyMap<string, string>;
}

/** Writes down a save without waiting; `known` is what is on disk already. False where there is no room. */
export function writeUnsaved({ record, states, pieces }: Save, known: Known): boolean {
  const write = (kept: ProjectRecord) => {
    const named = new Set([kept.state, ...kept.past, ...kept.future]);
    const newStates = [...states].filter(([digest]) => named.has(digest) && !known.states.has(digest));
    const lists = new Set(newStates.flatMap(([, state]) => listsOf(state)));
    const inLists = new Set([...lists].flatMap((list) => piecesOf(list, (digest) => pieces.get(digest))));
    const newPieces = [...pieces].filter(([digest]) => inLists.has(digest) && !known.pieces.has(digest));
    try {
      store()?.setItem(
        PREFIX + record.id,
        JSON.stringify({ record: kept, states: newStates, pieces: newPieces }),
      );
      return true;
    } catch {
      return false;
    }
  };
  if (write(record)) return true;
  // Without room for the whole history, the work itself.
  return write({ ...record, past: record.past.filter((digest) => known.states.has(digest)), future: [] });
}

/** What pages wrote down when they were left. */
export function unsavedSaves(): Unsaved[] {
  const local = store();
  if (!local) return [];
  return Object.keys(local)
    .filter((key) => key.startsWith(PREFIX))
    .flatMap((key) => {
      try {
        const { record: value, states, pieces } = JSON.parse(local.getItem(key)!);
        const record = readRecord(value);
        const read = new Map<string, KeptState>();
        for (const [digest, kept] of states) {
          const state = readKept(kept);
          if (state && 'version' in state) read.set(digest, state);
        }
        if (record) return [{ record, states: read, pieces: new Map<string, string>(pieces) }];
      } catch {
        // A text that is cut off cannot be read; what was saved before stays.
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
