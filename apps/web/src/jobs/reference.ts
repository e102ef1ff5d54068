import type { Editor } from '../editor/editor.js';
import { type ReferenceVideo, setDisplay } from '../editor/session.js';
import { putReference, readReference, removeReference } from '../storage/references.js';
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';

/** Milliseconds for which what is changed of it has to hold still before it is written. */
const CALM = 400;

/**
 * Keeps the reference video of a project in this browser, beside the project: it is shown again when that is opened, and what is
 * changed of it is written when the hand pauses. Returns what ends that.
 */
export function keepReference({ id, session }: Editor): () => void {
  let ended = false;
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** The address that the page has for the file, and the file. */
  let known: { readonly url: string; readonly video: Blob } | undefined;
  const write = async (reference: ReferenceVideo | undefined) => {
    try {
      if (!reference) {
        known = undefined;
        await removeReference(id);
        return;
      }
      const { url, name, offset, from, to, over } = reference;
      if (known?.url !== url) known = { url, video: await (await fetch(url)).blob() };
      const kept = { name, video: known.video, offset, from };
      await putReference(id, {
        ...kept,
        ...(to !== undefined && { to }),
        ...(over !== undefined && { over }),
      });
    } catch (error) {
      notify({
        title: 'The video is not kept',
        text: `It is shown until the page is closed: ${storageReason(error)}.`,
        alarm: true,
      });
    }
  };
  void readReference(id)
    .catch(() => undefined)
    .then((kept) => {
      if (ended || !kept || session.getState().reference) return;
      const { video, ...shown } = kept;
      const url = URL.createObjectURL(video);
      known = { url, video };
      setDisplay(session, { reference: { ...shown, to: shown.to, url } });
    });
  const stop = session.subscribe(({ reference }, before) => {
    if (session.getState().looking) return;
    if (reference === before.reference || (reference && reference.url === known?.url && !before.reference))
      return;
    clearTimeout(timer);
    timer = setTimeout(() => void write(reference), CALM);
  });
  return () => {
    ended = true;
    stop();
    clearTimeout(timer);
    const { reference } = session.getState();
    // What was changed last is written all the same, and the page lets go of the file.
    const written = reference && !session.getState().looking ? write(reference) : Promise.resolve();
    void written.then(() => reference && URL.revokeObjectURL(reference.url));
  };
}
