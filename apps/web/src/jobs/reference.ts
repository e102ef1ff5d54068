import type { AttachedReference } from '@evlay/core/format';
import type { Editor } from '../editor/editor.js';
import { type Reference, setDisplay } from '../editor/session.js';
import { type KeptReference, putReferences, readReferences } from '../storage/references.js';
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';

/** Milliseconds for which what is changed of them has to hold still before it is written. */
const CALM = 400;

/** A reference as it is shown: without its file, which the page has an address of. */
const shownOf = ({ file, ...look }: KeptReference): Reference => ({
  ...look,
  url: URL.createObjectURL(file),
  size: file.size,
});

/**
 * Keeps the references of a project in this browser, beside the project: they are shown again when that is opened, and what is changed of
 * them is written when the hand pauses. Returns what ends that.
 */
export function keepReferences({ id, session }: Editor): () => void {
  let ended = false;
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** Whether something was changed that is not written yet. */
  let changed = false;
  /** The files of those that were shown, by their addresses on the page. */
  const files = new Map<string, Blob>();
  const write = async (references: readonly Reference[]) => {
    changed = false;
    try {
      const kept: KeptReference[] = [];
      for (const { url, size: _, ...look } of references) {
        const file = files.get(url) ?? (await (await fetch(url)).blob());
        files.set(url, file);
        kept.push({ ...look, file });
      }
      await putReferences(id, kept);
    } catch (error) {
      notify({
        title: 'The references are not kept',
        text: `They are shown until the page is closed: ${storageReason(error)}.`,
        alarm: true,
      });
    }
  };
  const listen = () =>
    session.subscribe(({ references, looking }, before) => {
      if (looking || references === before.references) return;
      changed = true;
      clearTimeout(timer);
      timer = setTimeout(() => void write(references), CALM);
    });
  let stop = (): void => undefined;
  // What is kept is known before anything is written: nothing is written over it unseen.
  void readReferences(id).then(
    (kept) => {
      if (ended) return;
      const shown = kept.map(shownOf);
      for (const [k, { url }] of shown.entries()) files.set(url, kept[k].file);
      const { references: added, looking } = session.getState();
      if (shown.length > 0) setDisplay(session, { references: [...shown, ...added] });
      stop = listen();
      if (added.length > 0 && !looking) void write(session.getState().references);
    },
    () => {
      if (!ended) stop = listen();
    },
  );
  return () => {
    ended = true;
    stop();
    clearTimeout(timer);
    const { references, looking } = session.getState();
    // What was changed last is written all the same, and the page lets go of all files that were shown.
    const written = changed && !looking ? write(references) : Promise.resolve();
    const urls = [...files.keys(), ...references.map(({ url }) => url)];
    void written.then(() => urls.forEach((url) => void URL.revokeObjectURL(url)));
  };
}

/** Keeps the references that came in a project file beside the project, before it is shown. */
export const keepAttached = (project: string, attached: readonly AttachedReference[]): Promise<void> =>
  putReferences(
    project,
    attached.map(({ bytes, type, ...look }, k) => ({
      ...look,
      id: String(k + 1),
      inFile: true,
      file: new Blob([bytes as Uint8Array<ArrayBuffer>], { type }),
    })),
  );

/** The references of a kept project that go along in its file. */
export const attachedTo = async (project: string): Promise<AttachedReference[]> =>
  attached(await readReferences(project).catch(() => []));

/** Those that are shown, as they are shown now. */
export const attachedShown = async (references: readonly Reference[]): Promise<AttachedReference[]> =>
  attached(
    await Promise.all(
      references
        .filter(({ inFile }) => inFile)
        .map(async ({ url, size: _, ...look }) => ({ ...look, file: await (await fetch(url)).blob() })),
    ),
  );

const attached = (kept: readonly KeptReference[]): Promise<AttachedReference[]> =>
  Promise.all(
    kept
      .filter(({ inFile }) => inFile)
      .map(async ({ id: _, inFile: __, file, ...look }) => ({
        ...look,
        type: file.type || (look.kind === 'video' ? 'video/mp4' : 'image/png'),
        bytes: new Uint8Array(await file.arrayBuffer()),
      })),
  );
