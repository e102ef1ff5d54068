import { characterIn } from '@evlay/core';
import { addCharacter } from '@evlay/core/edit';
import type { Editor } from '../editor/editor.js';
import { setSelection } from '../editor/session.js';
import { sharing } from '../storage/locks.js';
import type { PathFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';
import { CANCELLED, checkSizes, learnDigests } from './files.js';
import { keeperOf } from './open.js';
import { askImporter } from './workers.js';

/**
 * Reads the character of a file and puts it into the scene of a project, beside those that are there, and lights it. Says why, where it
 * does not come.
 */
export async function addCharacterAndTell(editor: Editor, files: readonly PathFile[]): Promise<void> {
  try {
    const reason = await bringCharacter(editor, files);
    if (reason) notify({ title: 'The character did not come', text: reason, alarm: true });
  } catch (error) {
    notify({ title: 'The character did not come', text: (error as Error).message, alarm: true });
  }
}

/** Why it does not come, in words for people; undefined where it came. */
async function bringCharacter(editor: Editor, files: readonly PathFile[]): Promise<string | undefined> {
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
    let came: { readonly character: number; readonly layer?: string } | undefined;
    editor.history.edit((project) => {
      const added = addCharacter(project, {
        name: own.name,
        rig,
        figure,
        takes: own.takes,
        metresPerUnit: own.metresPerUnit,
      });
      came = added;
      return added.project;
    });
    if (!came) return undefined;
    if (came.layer) editor.session.light(came.layer);
    setSelection(editor.session, { character: came.character, picked: [], parts: [] });
    for (const warning of warnings) notify({ title: 'The character came, with a warning', text: warning });
    void keeper.flush();
    return undefined;
  });
}
