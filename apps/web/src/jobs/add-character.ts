import { characterIn, type Project } from '@evlay/core';
import { addCharacter } from '@evlay/core/edit';
import type { Editor } from '../editor/editor.js';
import { setSelection } from '../editor/session.js';
import { sharing } from '../storage/locks.js';
import type { PathFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';
import { CANCELLED, checkSizes, learnDigests } from './files.js';
import { keeperOf } from './open.js';
import { askImporter } from './workers.js';

/** What is done with a character that has come, in the same step of undo; it may give a layer to be lit. */
type ThenWith = (
  project: Project,
  character: number,
) => { readonly project: Project; readonly layer?: string };

/**
 * Reads the character of a file and puts it into the scene of a project, beside those that are there, and lights it. Says why, where it
 * does not come.
 */
export async function addCharacterAndTell(
  editor: Editor,
  files: readonly PathFile[],
  then?: ThenWith,
): Promise<void> {
  try {
    const reason = await bringCharacter(editor, files, then);
    if (reason) notify({ title: 'The character did not come', text: reason, alarm: true });
  } catch (error) {
    notify({ title: 'The character did not come', text: (error as Error).message, alarm: true });
  }
}

/** Why it does not come, in words for people; undefined where it came. */
async function bringCharacter(
  editor: Editor,
  files: readonly PathFile[],
  then?: ThenWith,
): Promise<string | undefined> {
  checkSizes(files);
  // Shared until the save that names the files is done, so that no other tab sweeps them away.
  return sharing(async () => {
    const read = await askImporter((worker) => worker.importFiles(files));
    if (!read) return CANCELLED.refused;
    if ('refused' in read) return read.refused;
    const { project: own, warnings, digests } = read;
    const keeper = keeperOf(editor);
    if (!keeper) return 'Another project was opened meanwhile.';
    const { rig, figure } = characterIn(own.scene);
    learnDigests([...own.takes.map(({ source }) => source), ...(figure ? [figure] : [])], digests);
    let came: ReturnType<typeof addCharacter> | undefined;
    editor.history.edit((project) => {
      const added = addCharacter(project, {
        name: own.name,
        rig,
        figure,
        takes: own.takes,
        metresPerUnit: own.metresPerUnit,
      });
      const done = then?.(added.project, added.character);
      came = { ...added, ...done };
      return came.project;
    });
    if (!came) return undefined;
    if (came.layer) editor.session.light(came.layer);
    setSelection(editor.session, { character: came.character, picked: [], parts: [] });
    for (const warning of warnings) notify({ title: 'The character came, with a warning', text: warning });
    void keeper.flush();
    return undefined;
  });
}
