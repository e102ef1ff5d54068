import { baseOf, layerById } from '@evlay/core';
import { idleLayers } from '@evlay/core/check';
import { bringOut, clearLayer, deleteLayers, joinRefusal, joinWithBelow } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { namesPicked } from '../../editor/picked.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';
import { differenceText } from '../keys/difference-text.js';
import { pickedLayers } from './picked-layers.js';

const lit = ({ session }: Editor): string => session.getState().lit;
const litLayer = (editor: Editor) => layerById(editor.history.project(), lit(editor));

/** Brings the keys of the picked joints out of the lit layer into one of their own right above it, moved or copied. */
export const bringJointsOut = command<'move' | 'copy'>({
  name: 'Bring the picked joints out into a new layer',
  layer: (editor, how) => (how === 'move' ? lit(editor) : undefined),
  refusal(editor) {
    const { history } = editor;
    const names = namesPicked(editor);
    const layer = litLayer(editor);
    if (names.length === 0) return { reason: 'Pick the joints that are to have a layer of their own' };
    if (layer?.content.kind !== 'curves') return { reason: `${layer?.name} has no keys` };
    if (layer === baseOf(history.project()))
      return { reason: `${layer.name} is the base, which stays whole` };
    return bringOut(history.project(), lit(editor), names, 'copy')
      ? undefined
      : { reason: `${layer.name} has no keys of the picked joints` };
  },
  run(editor, how, change) {
    const { session } = editor;
    let made = '';
    change((project) => {
      const names = namesPicked(editor);
      const done = bringOut(project, lit(editor), names, how);
      made = done?.id ?? '';
      return done?.project ?? project;
    });
    if (made) session.light(made);
  },
});

/**
 * Brings the keys of the lit layer together with those of the layer below it. Where that is not exact it says what would
 * change, and does it only when it is asked to all the same.
 */
export const joinBelow = command<{ readonly anyway: boolean }>({
  name: 'Bring the layer together with the one below',
  layer: lit,
  refusal(editor) {
    const reason = joinRefusal(editor.history.project(), lit(editor));
    return reason === undefined ? undefined : { reason };
  },
  run(editor, { anyway }, change) {
    const { history, session } = editor;
    const project = history.project();
    const id = lit(editor);
    const index = project.layers.findIndex((layer) => layer.id === id);
    const below = project.layers[index - 1];
    const joined = joinWithBelow(project, id);
    const exact = joined.length < 1e-6 && joined.angle < 1e-3;
    if (!exact && !anyway) {
      notify({
        title: `Together with “${below.name}” it would look different`,
        text: `By up to ${differenceText(project, joined)}. Their weights, parts or keys do not go together exactly.`,
        action: {
          label: 'Bring together all the same',
          run: () => history.edit(() => joinWithBelow(history.project(), id).project),
        },
      });
      return;
    }
    change((now) => joinWithBelow(now, id).project);
    session.light(below.id);
  },
});

/** Takes all keys, or the takes, out of the picked layers. */
export const clearPicked = command({
  name: 'Clear the layer',
  palette: 'Layer',
  layer: pickedLayers,
  refusal(editor) {
    const base = baseOf(editor.history.project());
    const ids = pickedLayers(editor);
    if (ids.includes(base.id)) return { reason: `${base.name} is the base: it is kept as it came` };
    return ids.every((id) => layerById(editor.history.project(), id)?.content.kind === 'nothing')
      ? { reason: 'There is nothing on it' }
      : undefined;
  },
  run: (editor, _, change) => {
    for (const id of pickedLayers(editor)) change((project) => clearLayer(project, id));
  },
});

/** Deletes layers that have no content or count nowhere, as far as they are not locked. */
export const deleteIdle = command({
  name: 'Delete layers that do nothing',
  palette: 'Layer',
  refusal: ({ history }) =>
    unlockedIdle(history.project()).length > 0
      ? undefined
      : { reason: 'Every layer that is switched on does something' },
  run(editor, _, change) {
    const project = editor.history.project();
    const ids = unlockedIdle(project);
    const names = ids.map((id) => layerById(project, id)?.name);
    change((now) => deleteLayers(now, ids));
    notify({ title: `Deleted: ${names.join(', ')}` });
  },
});

const unlockedIdle = (project: Parameters<typeof idleLayers>[0]): string[] =>
  idleLayers(project).filter((id) => !layerById(project, id)?.locked);
