import { figuresIn, newId, type Project } from '@evlay/core';
import { proxy, transfer } from 'comlink';
import { openEditor, showEditor } from '../editor/app.js';
import { createEditor, type Editor, type EditorStart } from '../editor/editor.js';
import { keepPreferences } from '../editor/keep-preferences.js';
import { setJobs } from '../editor/session.js';
import { answerFor, type Held, holdProject, sharing, takeOverProject } from '../storage/locks.js';
import { freeName } from '../storage/names.js';
import { type Known, NOTHING_KNOWN } from '../storage/record.js';
import { digestOfState, knowState } from '../storage/save-of.js';
import { listProjects, loadProject } from '../storage/storage.js';
import type { PathFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';
import type { WithDigests } from '../workers/import.worker.js';
import type { Remembered } from '../workers/read-stored.js';
import { type Keeper, keepSaved } from './autosave.js';
import { CANCELLED, checkSizes, learnDigests } from './files.js';
import { followMakings, type Makings } from './making.js';
import { keepPicture, type Picture } from './picture.js';
import { keepAttached, keepReferences } from './reference.js';
import { askImporter, keepSamplesOf, restImporter } from './workers.js';

/** What came of opening something: where to go, or what to tell the user. */
export type Opened =
  | { readonly id: string; readonly warnings: readonly string[] }
  | { readonly refused: string };

/** What goes on beside an open project: it is saved, its takes are made, its picture is taken. */
interface Work {
  readonly keeper: Keeper;
  readonly makings: Makings;
  readonly picture: Picture;
  readonly held: Held | undefined;
  readonly unwatch: () => void;
  readonly forget: () => void;
  /** Ends the keeping of references. */
  readonly unshow: () => void;
}

const works = new Map<Editor, Work>();

export const keeperOf = (editor: Editor): Keeper | undefined => works.get(editor)?.keeper;

/** Waits until the takes of a project have the samples that their steps ask for. */
export const whenMade = async (editor: Editor): Promise<void> => works.get(editor)?.makings.settled();

function show(
  project: Project,
  start: EditorStart,
  stored: boolean,
  held: Held | undefined,
  known: Known = NOTHING_KNOWN,
): Editor {
  const editor = createEditor(project, start);
  const lookOnly = async () => {
    editor.gesture?.cancel();
    // What was done until now, and while that is written, is on disk before the other tab reads it.
    await keeper.flush();
    await keeper.flush();
    setJobs(editor.session, { looking: true });
    held?.release();
  };
  const keeper = keepSaved(editor, stored, known);
  editor.kept.onRefused((reason) => notify({ title: 'Not done', text: `${reason}.`, alarm: true }));
  tellOfNewLayers(editor);
  if (held)
    held.lost = () => {
      setJobs(editor.session, { looking: true });
      notify({
        title: 'Another tab has taken the project over',
        text: 'It can be looked at here.',
        alarm: true,
      });
    };
  works.set(editor, {
    keeper,
    makings: followMakings(editor),
    picture: keepPicture(editor),
    held,
    forget: keepPreferences(editor),
    unshow: keepReferences(editor),
    unwatch: held ? answerFor(editor.id, () => void lookOnly()) : () => undefined,
  });
  const before = openEditor();
  showEditor(editor);
  if (before) void putAway(before);
  keepSamplesOf(project.takes);
  return editor;
}

/** Tells of layers that were added while a variant is shown: they play there alone. */
function tellOfNewLayers({ kept, session }: Editor): void {
  const told = new Set(kept.project().layers.map(({ id }) => id));
  kept.store.subscribe(({ project: { layers, variants } }) => {
    const added = layers.filter(({ id }) => !told.has(id));
    for (const { id } of added) told.add(id);
    const { variant } = session.getState();
    const said = variants.find(({ name }) => name === variant)?.layers;
    const alone = added.filter(({ id }) => said?.[id]?.muted === false);
    if (alone.length === 0) return;
    const one = alone.length === 1;
    notify({
      title: `${alone.map(({ name }) => `“${name}”`).join(', ')} ${one ? 'plays' : 'play'} in “${variant}” alone`,
      text: `Everywhere else ${one ? 'it is' : 'they are'} muted: a layer that is added belongs to the variant that is shown.`,
    });
  });
}

async function putAway(editor: Editor): Promise<void> {
  const work = works.get(editor);
  if (!work) return;
  works.delete(editor);
  work.unwatch();
  work.forget();
  work.unshow();
  work.makings.stop();
  work.picture.stop();
  await work.keeper.stop();
  work.held?.release();
}

/** Puts the open project away, unless this page is the only place that has it. */
export async function closeProject(): Promise<void> {
  const editor = openEditor();
  if (!editor) return;
  await keeperOf(editor)?.flush();
  if (editor.saving.getState().state === 'failed' || openEditor() !== editor) return;
  showEditor(undefined);
  keepSamplesOf([]);
  await putAway(editor);
}

/** Counts what was asked for: a slow opening does not show itself over a later one. */
let asked = 0;

const OVERTAKEN = { refused: 'Something else was opened meanwhile.' };

/** Told what part of opening is done, from 0 to 1. */
type OnProgress = (done: number) => void;

/** Makes a project of dropped or chosen files and opens it. What was open before is on disk and stays there. */
export async function openFiles(files: readonly PathFile[], onProgress: OnProgress): Promise<Opened> {
  checkSizes(files);
  const own = ++asked;
  const before = openEditor();
  if (before) await keeperOf(before)?.flush();
  // Shared until the save that names the files is done, so that no other tab sweeps them away.
  return sharing(async () => {
    const read = await askImporter((worker) => worker.importFiles(files, proxy(onProgress)));
    if (!read) return CANCELLED;
    if ('refused' in read) return read;
    if (own !== asked) return OVERTAKEN;
    restImporter(read.project.takes);
    const { warnings, digests, references = [] } = read;
    // Two projects of one name could not be told apart in the list.
    const names = (await listProjects().catch(() => [])).map(({ name }) => name);
    const project = { ...read.project, name: freeName(read.project.name, names) };
    learnDigests([...project.takes.map(({ source }) => source), ...figuresIn(project.scene)], digests);
    const id = newId();
    const held = await holdProject(id).catch(() => undefined);
    if (own !== asked) {
      held?.release();
      return OVERTAKEN;
    }
    if (references.length > 0) await keepAttached(id, references).catch(() => undefined);
    const editor = show(project, { id }, false, held);
    // Where nothing can be kept, it is open and can be exported all the same.
    await keeperOf(editor)?.flush();
    return { id, warnings };
  });
}

/** Opens a project that is kept in this browser; one that is open already stays as it is. */
export async function openStored(
  id: string,
  held?: Held,
  onProgress: OnProgress = () => undefined,
): Promise<Opened> {
  if (!held && openEditor()?.id === id) return { id, warnings: [] };
  const own = ++asked;
  const mine = held ?? (await holdProject(id));
  let opened = false;
  try {
    const stored = await loadProject(id);
    if (!stored) return { refused: 'There is no such project in this browser.' };
    const buffers = [...stored.files.values()].map(({ bytes }) => bytes.buffer as ArrayBuffer);
    const read = await askImporter((worker) =>
      worker.loadStored(transfer(stored, buffers), proxy(onProgress)),
    );
    if (!read) return CANCELLED;
    if ('refused' in read) return read;
    if (own !== asked) return OVERTAKEN;
    opened = true;
    restImporter(read.project.takes);
    return openRead(id, read, stored.pieces, stored.lost.length === 0, mine);
  } finally {
    // Whatever it was that failed, no other tab has to wait for a project that is not open here.
    if (!opened) mine?.release();
  }
}

/** Takes over what the states of a project are kept as; what of them is known to be there. */
function learnStates(
  { past, project, future, kept }: Remembered,
  pieces: ReadonlyMap<string, string>,
): Known {
  for (const [k, one] of [...past, project, ...future].entries()) {
    const state = kept[k];
    if (state) knowState(one, state, (digest) => pieces.get(digest));
  }
  const states = kept.flatMap((state) => (state ? [digestOfState(state)] : []));
  return { states: new Set(states), pieces: new Set(pieces.keys()), files: new Set() };
}

/** Shows a project that was read with its history. */
function openRead(
  id: string,
  read: WithDigests<Remembered>,
  pieces: ReadonlyMap<string, string>,
  whole: boolean,
  held: Held | undefined,
): Opened {
  const { project, past, future, warnings, digests } = read;
  // What is kept already is neither put into pieces nor written again.
  const known = whole ? learnStates(read, pieces) : NOTHING_KNOWN;
  const sources = [...past, project, ...future].flatMap(({ takes }) => takes.map(({ source }) => source));
  learnDigests([...sources, ...figuresIn(project.scene)], digests);
  show(project, { id, past, future, looking: !held }, whole, held, known);
  return { id, warnings };
}

/** Takes the open project over from the tab that has it open to be worked on. */
export async function takeOver(): Promise<void> {
  const id = openEditor()?.id;
  if (!id) return;
  const held = await takeOverProject(id);
  const opened = await openStored(id, held);
  if ('refused' in opened) notify({ title: 'Not taken over', text: opened.refused, alarm: true });
}

/** Opens a project that was made here as one of its own, under a name that no other has; it is on disk then. */
export async function openMade(made: Project): Promise<string> {
  const own = ++asked;
  const before = openEditor();
  if (before) await keeperOf(before)?.flush();
  return sharing(async () => {
    const names = (await listProjects().catch(() => [])).map(({ name }) => name);
    const id = newId();
    const held = await holdProject(id).catch(() => undefined);
    if (own !== asked) {
      held?.release();
      throw new Error(OVERTAKEN.refused);
    }
    const editor = show({ ...made, name: freeName(made.name, names) }, { id }, false, held);
    await keeperOf(editor)?.flush();
    return id;
  });
}
