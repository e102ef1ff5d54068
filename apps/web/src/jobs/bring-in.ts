import type { Take } from '@evlay/core';
import { addTakes } from '@evlay/core/edit';
import { restingJoints } from '@evlay/core/match';
import { unmatchedJoints } from '@evlay/core/take';
import type { Editor } from '../editor/editor.js';
import { sharing } from '../storage/locks.js';
import type { PathFile } from '../ui/dropped.js';
import { notify } from '../ui/notify.js';
import { CANCELLED, checkSizes, learnDigests } from './files.js';
import { keeperOf } from './open.js';
import { askImporter } from './workers.js';

/** What came into the open project: the take that plays on its character, or what to tell the user. */
type Brought = { readonly take: Take; readonly warnings: readonly string[] } | { readonly refused: string };

/**
 * Brings the takes of files into a project. One whose skeleton is another is fitted to the character, and comes along
 * beside what is made of it. Edits of one `step` are undone together.
 */
async function bringIn(editor: Editor, files: readonly PathFile[], step?: symbol): Promise<Brought> {
  checkSizes(files);
  const { rig, metresPerUnit, mappings, takes } = editor.history.project();
  const names = takes.map(({ name }) => name);
  // Shared until the save that names the files is done, so that no other tab sweeps them away.
  return sharing(async () => {
    const read = await askImporter((worker) =>
      worker.readTakes(files, { rig, metresPerUnit, mappings, names }),
    );
    if (!read) return CANCELLED;
    if ('refused' in read) return read;
    const keeper = keeperOf(editor);
    if (!keeper) return { refused: 'Another project was opened meanwhile.' };
    learnDigests(
      read.takes.map(({ source }) => source),
      read.digests,
    );
    editor.history.edit((project) => addTakes(project, read.takes), step);
    void keeper.flush();
    const take = read.takes.find(({ made }) => made) ?? read.takes[0];
    return { take, warnings: [...read.warnings, ...fitWarning(editor, take)] };
  });
}

/** What a take that was fitted leaves at rest, or which joints of one that plays as it is the character has not. */
function fitWarning(editor: Editor, take: Take): string[] {
  const { rig } = editor.history.project();
  const few = (names: readonly string[]) => `${names.slice(0, 3).join(', ')}${names.length > 3 ? ' …' : ''}`;
  if (!take.made?.mapping) {
    const strange = unmatchedJoints(rig, take);
    return strange.length === 0
      ? []
      : [
          `${strange.length} of its ${take.rig.joints.length} joints are not in this character and are left alone: ${few(strange)}`,
        ];
  }
  const resting = restingJoints(rig, take);
  if (resting.length === rig.joints.length)
    return [`None of its joints could be matched to the character; match them by hand on the screen Takes`];
  if (resting.length === 0) return [];
  return [
    `It was fitted to the character; ${resting.length} of ${rig.joints.length} joints are matched to none and rest: ${few(resting)}`,
  ];
}

/** Brings the takes of files into a project and says what is doubtful. Undefined where it did not work. */
export async function bringInAndTell(
  editor: Editor,
  files: readonly PathFile[],
  step?: symbol,
): Promise<Take | undefined> {
  let reason: string;
  try {
    const brought = await bringIn(editor, files, step);
    if ('take' in brought) {
      for (const warning of brought.warnings) notify({ title: 'Brought in, with a warning', text: warning });
      return brought.take;
    }
    reason = brought.refused;
  } catch (error) {
    reason = (error as Error).message;
  }
  notify({ title: 'The take was not brought in', text: reason, alarm: true });
  return undefined;
}
