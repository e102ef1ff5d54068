import type { Stand } from '@evlay/core';
import { removeCharacter, renameCharacter, standCharacter } from '@evlay/core/edit';
import { addCharacterAndTell } from '../../jobs/add-character.js';
import type { PathFile } from '../../ui/dropped.js';
import { command } from '../command.js';

/** Lights a character: map, parts and takes are of it from then on. */
export const lightCharacter = command<number>({
  name: 'Light a character',
  looks: true,
  run: ({ session }, character) => session.setState({ character, parts: [] }),
});

/** Lights the next character, the first one after the last. */
export const lightNextCharacter = command({
  name: 'Light the next character',
  palette: 'Pick',
  looks: true,
  refusal: ({ history }) =>
    history.project().scene.characters.length < 2 ? { reason: 'There is one character' } : undefined,
  run({ session, history }) {
    const { length } = history.project().scene.characters;
    session.setState(({ character }) => ({ character: (character + 1) % length, parts: [] }));
  },
});

/** Puts the character of a file into the scene, beside those that are there. */
export const addTheCharacter = command<{ readonly files: readonly PathFile[]; readonly ended?: () => void }>({
  name: 'Add a character',
  later: true,
  run: (editor, { files, ended }) => void addCharacterAndTell(editor, files).finally(ended),
});

/** Moves, turns or scales a further character with all that it does. */
export const standTheCharacter = command<{ readonly character: number; readonly stand: Partial<Stand> }>({
  name: 'Move a character with all that it does',
  refusal: (_, { character }) =>
    character === 0
      ? { reason: 'The first character stands in the scene itself: place its base' }
      : undefined,
  run: (_, { character, stand }, change) => change((project) => standCharacter(project, character, stand)),
});

export const renameTheCharacter = command<{ readonly character: number; readonly name: string }>({
  name: 'Rename a character',
  run: (_, { character, name }, change) => change((project) => renameCharacter(project, character, name)),
});

/** Takes a further character out of the scene, with the layers that are of it alone. */
export const removeTheCharacter = command<number>({
  name: 'Take a character out of the scene',
  refusal: (_, character) =>
    character === 0 ? { reason: 'The first character brings the rig of the project' } : undefined,
  run: (_, character, change) => change((project) => removeCharacter(project, character)),
});
