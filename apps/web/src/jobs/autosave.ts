import type { Editor } from '../editor/editor.js';
import { type Known, NOTHING_KNOWN, type Save } from '../storage/record.js';
import { saveOf } from '../storage/save-of.js';
import { save, storageReason } from '../storage/storage.js';
import { writeUnsaved } from '../storage/unsaved.js';

/** Milliseconds without a change after which a project is saved, and the longest that a change waits for that. */
const QUIET = 300;
const LONGEST = 1000;

/** What putting a project into pieces is called among what a browser measures (W3C User Timing); `npm run profile` reads it. */
const SAVING = 'evlay: save';

/** Keeps a project on disk while it is open. */
export interface Keeper {
  /** Saves what is not on disk yet, and waits until it is. */
  readonly flush: () => Promise<void>;
  /** Ends the keeping, after a last save. */
  readonly stop: () => Promise<void>;
}

/**
 * Saves a project a moment after every change. `stored` says that it is on disk as it stands, `before` what of it is. What a gesture that is
 * under way has changed is not saved: it may still be taken back.
 */
export function keepSaved(editor: Editor, stored: boolean, before: Known = NOTHING_KNOWN): Keeper {
  const { kept: history, saving, session } = editor;
  let waiting: ReturnType<typeof setTimeout> | undefined;
  let since = 0;
  let known = before;
  let saved: ReturnType<typeof contentOf> | undefined = stored ? contentOf() : undefined;
  let running: Promise<void> = Promise.resolve();

  function contentOf() {
    const { past, future } = history.store.getState();
    return [history.settled(), past, future] as const;
  }
  const isSaved = () => {
    const now = contentOf();
    return saved !== undefined && now.every((part, i) => part === saved![i]);
  };
  const saveNow = (): Save => {
    const [project, past, future] = contentOf();
    const start = performance.now();
    const wanted = saveOf(editor.id, project, past, future);
    performance.measure(SAVING, { start });
    performance.clearMeasures(SAVING);
    return wanted;
  };

  const write = async (): Promise<void> => {
    if (isSaved() || session.getState().looking) return;
    const content = contentOf();
    try {
      const wanted = saveNow();
      known = await save(wanted, known);
      saved = content;
      if (isSaved()) saving.setState({ state: 'saved' }, true);
    } catch (error) {
      saving.setState({ state: 'failed', reason: storageReason(error) }, true);
    }
  };
  const flush = (): Promise<void> => {
    clearTimeout(waiting);
    waiting = undefined;
    running = running.then(write);
    return running;
  };
  const soon = () => {
    if (isSaved() || session.getState().looking) return;
    if (saving.getState().state === 'saved') saving.setState({ state: 'saving' }, true);
    const now = performance.now();
    if (waiting === undefined) since = now;
    clearTimeout(waiting);
    waiting = setTimeout(flush, Math.max(0, Math.min(QUIET, since + LONGEST - now)));
  };
  /** The page may be gone at any moment: what is not on disk is written down at once. */
  const leave = () => {
    if (isSaved() || session.getState().looking) return;
    writeUnsaved(saveNow(), known);
    void flush();
  };

  const unfollow = history.store.subscribe(soon);
  const hidden = () => document.visibilityState === 'hidden' && leave();
  document.addEventListener('visibilitychange', hidden);
  window.addEventListener('pagehide', leave);
  soon();
  return {
    flush,
    stop() {
      unfollow();
      document.removeEventListener('visibilitychange', hidden);
      window.removeEventListener('pagehide', leave);
      return flush();
    },
  };
}
