import type { Project } from '@evlay/core';
import { type Stand, standOf } from '@evlay/core/check';
import { setGround } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';

/** How the character stands, by its surface where it is in sight. */
export function standNow({ history, lowest }: Editor): Stand {
  const project: Project = history.project();
  return lowest ? standOf(project, lowest) : standOf(project);
}

const groundOf = ({ ground }: Project) => ground ?? ([0, 0, 0] as const);

/** Lays the floor under the soles of the character: the character stands on it, its motion and its bakes stay as they are. */
export const standOnFloor = command({
  name: 'Stand it on the floor',
  palette: 'Handles and view',
  run(editor, _, change) {
    const { at } = standNow(editor);
    change((project) => setGround(project, [groundOf(project)[0], at[1], groundOf(project)[2]]));
  },
});

/** Brings the middle of the scene to where the character stands when the range begins. */
export const bringHere = command({
  name: 'Bring it here, to the middle of the floor',
  palette: 'Handles and view',
  run(editor, _, change) {
    const { at } = standNow(editor);
    change((project) => setGround(project, [at[0], groundOf(project)[1], at[2]]));
    editor.events.emit('frameCharacter', undefined);
  },
});

/** Takes both back. */
export const standAsInFile = command({
  name: 'Put it where its file has it',
  palette: 'Handles and view',
  refusal: ({ history }) =>
    history.project().ground ? undefined : { reason: 'It stands where its file has it' },
  run: (_editor, _arg, change) => change((project) => setGround(project, undefined)),
});
