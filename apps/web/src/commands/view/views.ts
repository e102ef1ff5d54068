import type { SavedView } from '@evlay/core';
import { deleteView, keepView } from '@evlay/core/edit';
import type { CharacterSide, ViewFrom } from '../../editor/events.js';
import { command } from '../command.js';

/** Looks from somewhere: from one of the sides, or from a place that was kept. */
export const lookFrom = command<ViewFrom>({
  name: 'Look from',
  looks: true,
  run: ({ events }, from) => events.emit('lookFrom', from),
});

const side = (name: string, shortcut: string, from: CharacterSide) =>
  command({
    name,
    palette: 'Handles and view',
    shortcut,
    looks: true,
    run: ({ events }) => events.emit('lookFrom', from),
  });

export const lookFromFront = side('Look from the front', '1', 'front');
export const lookFromSide = side('Look from the side', '2', 'side');
export const lookFromTop = side('Look from above', '3', 'top');
export const lookAtFace = side('Look at the face', '4', 'face');

/** Keeps from where the view looks, under a name. */
export const keepViewAs = command<SavedView>({
  name: 'Keep the view',
  run: (_, view, change) =>
    change((project) => (view.name.trim() === '' ? project : keepView(project, view))),
});

export const dropView = command<string>({
  name: 'Delete a kept view',
  run: (_, name, change) => change((project) => deleteView(project, name)),
});
