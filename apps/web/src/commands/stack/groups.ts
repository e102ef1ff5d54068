import { type Group, groupById, layerById } from '@evlay/core';
import { changeGroup, groupLayers, layersOfGroup, moveGroup, ungroup } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { pickedLayers } from './picked-layers.js';

const groupOf = ({ history }: Editor, id: string): Group | undefined => groupById(history.project(), id);

/** Puts the picked layers into a group of their own. */
export const groupPicked = command({
  name: 'Group the picked layers',
  palette: 'Layer',
  shortcut: 'Ctrl+G',
  refusal(editor) {
    const [base] = editor.history.project().layers;
    return pickedLayers(editor).some((id) => id !== base.id)
      ? undefined
      : { reason: 'The base is in no group: it stays at the bottom' };
  },
  run: (editor, _, change) => {
    const ids = pickedLayers(editor);
    change((project) => groupLayers(project, ids)?.project ?? project);
  },
});

/** The group of the lit layer, to which keys and the palette mean what they say of a group. */
export const litGroup = ({ history, session }: Editor): string | undefined =>
  layerById(history.project(), session.getState().lit)?.group;

/** Lets the layers of a group go; without one of the group that the lit layer is in. */
export const letGroupGo = command<string | undefined>({
  name: 'Let the layers of the group go',
  refusal: (editor, id = litGroup(editor)) =>
    id !== undefined && groupOf(editor, id) ? undefined : { reason: 'The lit layer is in no group' },
  run(editor, id = litGroup(editor), change) {
    if (id !== undefined) change((project) => ungroup(project, id));
  },
});

export const renameGroup = command<{ group: string; name: string }>({
  name: 'Rename the group',
  run: (_, { group, name }, change) => change((project) => changeGroup(project, group, { name })),
});

const toggle = (name: string, field: 'muted' | 'solo') =>
  command<string>({
    name,
    run: (editor, id, change) =>
      change((project) => changeGroup(project, id, { [field]: !groupOf(editor, id)?.[field] })),
  });

export const toggleGroupMute = toggle('Mute the group', 'muted');
export const toggleGroupSolo = toggle('Solo the group', 'solo');

/** Shows only the head of a group, or its layers too. */
export const foldGroup = command<string>({
  name: 'Fold or unfold the group',
  looks: true,
  run: ({ session }, id) =>
    session.setState(({ folded }) => ({
      folded: folded.includes(id) ? folded.filter((one) => one !== id) : [...folded, id],
    })),
});

/** Picks the layers of a group and lights the topmost of them. */
export const pickGroup = command<string>({
  name: 'Pick the layers of the group',
  looks: true,
  run({ session, history }, id) {
    const layers = layersOfGroup(history.project(), id);
    if (layers.length === 0) return;
    if (!layers.includes(session.getState().lit)) session.light(layers[layers.length - 1]);
    session.setState({ layers });
  },
});

const move = (name: string, by: 1 | -1) =>
  command<string>({
    name,
    refusal({ history }, id): Refusal | undefined {
      const project = history.project();
      return moveGroup(project, id, by) === project
        ? { reason: by > 0 ? 'Nothing is above it' : 'Only the base is below it' }
        : undefined;
    },
    run: (_, id, change) => change((project) => moveGroup(project, id, by)),
  });

export const moveGroupUp = move('Move the group up', 1);
export const moveGroupDown = move('Move the group down', -1);
