import { isKitFile, kindOf, LOCKER_ENDING, NOTES_ENDING, openedText } from '@evlay/core/format';
import { startJob } from '@evlay/core/job';
import { perform } from '../commands/command.js';
import { showKitFile } from '../commands/kits/kits.js';
import { kitIntoLocker, loadLocker } from '../commands/kits/locker.js';
import { notesFromFile } from '../commands/project/notes.js';
import { bringIn } from '../commands/scene/bring-in.js';
import { addTheCharacter } from '../commands/scene/characters.js';
import { addReference } from '../commands/view/comparing.js';
import { appStore, openEditor } from '../editor/app.js';
import type { Editor } from '../editor/editor.js';
import { setSelection } from '../editor/session.js';
import { fileSets, nameOf } from '../jobs/file-sets.js';
import { openFiles } from '../jobs/open.js';
import { askImporter, cancelImport } from '../jobs/workers.js';
import type { PathFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';

/** Opens files that were dropped or chosen while an address was shown, and goes to the project; says what is wrong with one that cannot be opened. */
export async function openDropped(
  given: readonly PathFile[],
  pathname: string,
  navigate: (to: string) => void | Promise<void>,
): Promise<void> {
  const files = await withoutKept(given, pathname);
  if (files.length === 0) return;
  const { sets } = fileSets(files);
  const main = sets[0]?.[0] ?? files[0];
  if (!main) return;
  appStore.setState({ busy: { text: `Opening ${nameOf(main)} …`, cancel: cancelImport } });
  try {
    if (sets.length === 0) throw new Error(`${nameOf(main)}: expected ${openedText()}`);
    // Within a project a motion comes into it; a project is always opened.
    const editor = openEditor();
    if (editor && pathname === `/p/${editor.id}` && (await isCharacter(editor, sets))) {
      await new Promise<void>((done) => {
        if (!perform(editor, addTheCharacter, { files: sets[0], ended: done })) done();
      });
      return;
    }
    if (editor && pathname.startsWith(`/p/${editor.id}`) && kindOf(main.path)?.id !== 'evlay') {
      await cameIn(editor, files, (take) => {
        setSelection(editor.session, { take });
        void navigate(`/p/${editor.id}/takes`);
      });
      return;
    }
    const [chosen, ...others] = sets;
    const opening = startJob(`Opening ${nameOf(main)} …`, ({ onProgress }) => openFiles(chosen, onProgress));
    appStore.setState({ busy: { text: opening.name, progress: opening.progress, cancel: cancelImport } });
    const opened = await opening.result;
    if (!opened) return;
    if ('refused' in opened) throw new Error(opened.refused);
    for (const warning of opened.warnings) notify({ title: 'Opened, with a warning', text: warning });
    await navigate(`/p/${opened.id}`);
    // What else was dropped comes into what was opened.
    const shown = openEditor();
    if (others.length === 0 || !shown) return;
    await cameIn(shown, others.flat(), () => void navigate(`/p/${shown.id}/takes`));
  } catch (error) {
    notify({ title: 'The file was not opened', text: (error as Error).message, alarm: true });
  } finally {
    appStore.setState({ busy: undefined });
  }
}

/** Whether one file was dropped that is a character of its own, and no motion for those of the scene. */
async function isCharacter(editor: Editor, sets: readonly (readonly PathFile[])[]): Promise<boolean> {
  const rigs = editor.history.project().scene.characters.map(({ rig }) => rig);
  if (sets.length !== 1 || !kindOf(sets[0][0].path)?.readCharacter) return false;
  return (await askImporter((worker) => worker.bringsCharacter(sets[0], rigs))) ?? false;
}

/** Takes kits and lockers out of files: a kit is shown on the open project or goes into the locker, as what is in a locker does. */
async function withoutKept(files: readonly PathFile[], pathname: string): Promise<PathFile[]> {
  const others: PathFile[] = [];
  const inPieces = files.some((one) => nameOf(one).toLowerCase().endsWith('.gltf'));
  for (const one of files) {
    const name = nameOf(one);
    const file = new File([one.file], name, { type: one.file.type });
    const editor = openEditor();
    // Pictures beside a character in several files are its textures.
    const shown = /^video\//.test(file.type) || (/^image\//.test(file.type) && !inPieces);
    if (shown && editor && pathname === `/p/${editor.id}`) perform(editor, addReference, file);
    else if (name.toLowerCase().endsWith(NOTES_ENDING)) {
      if (editor) await notesFromFile(editor, file);
      else
        notify({
          title: 'Notes belong to a project',
          text: `Open the project that ${name} is about, and drop it there.`,
          alarm: true,
        });
    } else if (name.toLowerCase().endsWith(LOCKER_ENDING)) await loadLocker(file);
    else if (!isKitFile(name)) others.push(one);
    else if (editor && pathname === `/p/${editor.id}`) await showKitFile(editor, file);
    else await kitIntoLocker(file);
  }
  return others;
}

/** Brings files into a project, and goes on when they are there. */
const cameIn = (editor: Editor, files: readonly PathFile[], take: (take: string) => void): Promise<void> =>
  new Promise((done) => {
    if (!perform(editor, bringIn, { files, take, ended: done })) done();
  });
