import { layerById, layerIndex, type Mode, newId, type Reference } from '@evlay/core';
import {
  addLayer,
  addTakeLayer,
  deleteLayers,
  duplicateLayer,
  layersOfGroup,
  moveLayers,
  type Place,
  placeLayers,
  setLayer,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { membersPicked } from '../../editor/picked.js';
import { type Change, command, type Refusal } from '../command.js';
import { pickedLayers, together } from './picked-layers.js';

const layerOf = (editor: Editor, id: string) => layerById(editor.history.project(), id);

/** Why something that the base cannot do is refused. */
export const notOfBase =
  (what: string) =>
  (editor: Editor, id: string): Refusal | undefined =>
    layerIndex(editor.history.project(), id) === 0
      ? { reason: `${layerOf(editor, id)?.name} is the base, which ${what}` }
      : undefined;

const itsLayer = (_: Editor, { layer }: { readonly layer: string }) => layer;

/** Adds a layer above the lit one, limited to the picked joints, and lights it. */
function addAboveLit(editor: Editor, mode: Mode, change: Change): string {
  const { lit, wholeRange } = editor.session.getState();
  const picked = membersPicked(editor);
  let id = '';
  change((project) => {
    const added = addLayer(project, {
      mode,
      above: lit,
      joints: picked,
      frame: editor.playhead.get(),
      whole: wholeRange,
    });
    id = added.id;
    return added.project;
  });
  editor.session.light(id);
  return id;
}

export const addAdditiveLayer = command({
  name: 'Add additive layer',
  palette: 'Layer',
  run: (editor, _, change) => void addAboveLit(editor, 'additive', change),
});

export const addOverrideLayer = command({
  name: 'Add override layer',
  palette: 'Layer',
  run: (editor, _, change) => void addAboveLit(editor, 'override', change),
});

/** Adds a layer that plays a take of the project above the lit one, and lights it. */
export const addTakeAboveLit = command<{ take: string; mode: Mode; reference?: Reference }>({
  name: 'Add take layer',
  run({ session, gesture }, wanted, change) {
    const id = newId();
    change((project) => addTakeLayer(project, { ...wanted, above: session.getState().lit, id }).project);
    // One that comes in the middle of a drag leaves the light where it is.
    if (!gesture) session.light(id);
  },
});

/** The picked layers that are not the base. */
const movable = (editor: Editor): readonly string[] => {
  const [base] = editor.history.project().layers;
  return pickedLayers(editor).filter((id) => id !== base.id);
};

/** Copies the picked layers, each above itself, and picks the copies. */
export const duplicateLit = command({
  name: 'Duplicate the layer',
  palette: 'Layer',
  refusal: (editor) =>
    movable(editor).length > 0
      ? undefined
      : notOfBase('is there once')(editor, editor.session.getState().lit),
  run(editor, _, change) {
    const { history, session } = editor;
    const copies: string[] = [];
    for (const id of movable(editor))
      change((project) => {
        const added = duplicateLayer(project, id);
        copies.push(added.id);
        return added.project;
      });
    const there = copies.filter((id) => layerById(history.project(), id));
    if (there.length === 0) return;
    session.light(there[there.length - 1]);
    session.setState({ layers: there.length > 1 ? there : [] });
  },
});

/** Deletes a layer, or all that are picked with it, and lights the one below. */
export const removeLayer = command<string>({
  name: 'Delete the layer',
  layer: together,
  refusal: notOfBase('is always there'),
  run(editor, id, change) {
    const { history, session } = editor;
    const ids = together(editor, id);
    const { layers } = history.project();
    const lowest = layers.findIndex((layer, index) => index > 0 && ids.includes(layer.id));
    session.light(layers[lowest - 1].id);
    change((project) => deleteLayers(project, ids));
  },
});

const moveLit = (name: string, by: 1 | -1) =>
  command({
    name,
    palette: 'Layer',
    refusal(editor) {
      const { lit } = editor.session.getState();
      const project = editor.history.project();
      const ids = movable(editor);
      if (ids.length === 0) return notOfBase('stays at the bottom')(editor, lit);
      return moveLayers(project, ids, by) === project
        ? { reason: by > 0 ? 'It is the topmost layer already' : 'Only the base is below it' }
        : undefined;
    },
    run: (editor, _, change) => {
      const ids = movable(editor);
      change((project) => moveLayers(project, ids, by));
    },
  });

export const moveLitUp = moveLit('Move the layer up', 1);
export const moveLitDown = moveLit('Move the layer down', -1);

/** Puts layers right above another one. In a drag that counts from the order at its beginning. */
export const putLayers = command<{ layers: readonly string[]; place: Place }>({
  name: 'Move layers in the stack',
  run({ history }, { layers, place }, change) {
    const { layers: order, groups, variants } = history.settled();
    change((project) => placeLayers({ ...project, layers: order, groups, variants }, layers, place));
  },
});

const lightNeighbour = (name: string, shortcut: string, by: 1 | -1) =>
  command({
    name,
    palette: 'Layer',
    shortcut,
    looks: true,
    run({ history, session }) {
      const { layers } = history.project();
      const next = layers[layerIndex(history.project(), session.getState().lit) + by];
      if (next) session.light(next.id);
    },
  });

export const lightAbove = lightNeighbour('Light the lane above', 'Up', 1);
export const lightBelow = lightNeighbour('Light the lane below', 'Down', -1);

/** Lights a layer; of a group its topmost layer, if none of it is lit. */
export const lightLayer = command<string>({
  name: 'Light the layer',
  looks: true,
  run({ session, history }, id) {
    const inside = layersOfGroup(history.project(), id);
    if (inside.length === 0) session.light(id);
    else if (!inside.includes(session.getState().lit)) session.light(inside[inside.length - 1]);
  },
});

/** Opens or closes the rows of a layer's lane. */
export const toggleLane = command<string>({
  name: 'Open or close the lane',
  looks: true,
  run: ({ session }, id) =>
    session.setState(({ open }) => ({
      open: open.includes(id) ? open.filter((one) => one !== id) : [...open, id],
    })),
});

type Switch = 'muted' | 'solo' | 'locked';

/**
 * Mutes, soloes or locks a layer, or lets go of that; those that are picked with it do as it does. A lock does not keep a
 * layer from being switched.
 */
const toggle = (name: string, field: Switch) =>
  command<string>({
    name,
    run(editor, id, change) {
      const on = !layerById(editor.history.project(), id)?.[field];
      for (const one of together(editor, id)) change((project) => setLayer(project, one, { [field]: on }));
    },
  });

export const toggleMute = toggle('Mute', 'muted');
export const toggleSolo = toggle('Solo', 'solo');
export const toggleLock = toggle('Lock', 'locked');

export const renameLayer = command<{ layer: string; name: string }>({
  name: 'Rename the layer',
  layer: itsLayer,
  run: (_, { layer, name }, change) => change((project) => setLayer(project, layer, { name })),
});

/** Lets the name of the lit layer be typed in its lane. */
export const nameLit = command({
  name: 'Rename the lit layer',
  palette: 'Layer',
  shortcut: 'F2',
  layer: ({ session }) => session.getState().lit,
  run: ({ session }) => session.setState(({ lit }) => ({ naming: lit })),
});

/** Colours a layer, and those that are picked with it. */
export const changeColor = command<{ layer: string; color: string }>({
  name: 'Change the colour',
  layer: (editor, { layer }) => together(editor, layer),
  refusal: (editor, { layer }) => notOfBase('has the character’s own')(editor, layer),
  run(editor, { layer, color }, change) {
    const [base] = editor.history.project().layers;
    for (const id of together(editor, layer))
      if (id !== base.id) change((project) => setLayer(project, id, { color }));
  },
});
