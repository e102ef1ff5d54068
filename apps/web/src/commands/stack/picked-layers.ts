import { layerIndex } from '@evlay/core';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';

/** The layers that are picked, from below: the lit one, and others beside it. */
export function pickedLayers({ session, history }: Editor): readonly string[] {
  const { lit, layers } = session.getState();
  if (!layers.includes(lit)) return [lit];
  return history.project().layers.flatMap(({ id }) => (layers.includes(id) ? [id] : []));
}

/** The layers that something done to one of them is done to: all that are picked if it is among them, else itself alone. */
export function together(editor: Editor, id: string): readonly string[] {
  const picked = pickedLayers(editor);
  return picked.includes(id) ? picked : [id];
}

/** How a layer is picked: alone, more to those that are or less of them, or with all between it and the lit one. */
export type LayerPick = 'alone' | 'more' | 'up to here';

/** Lights a layer and picks it alone; or picks it beside others, and the lit one stays lit. */
export const pickLayer = command<{ layer: string; how: LayerPick }>({
  name: 'Pick the layer',
  looks: true,
  run(editor, { layer, how }) {
    const { session, history } = editor;
    const { lit } = session.getState();
    const before = pickedLayers(editor);
    if (how === 'alone') {
      session.light(layer);
      session.setState({ layers: [] });
    } else if (how === 'more') {
      const layers = before.includes(layer) ? before.filter((id) => id !== layer) : [...before, layer];
      // The lit one is let go of only where another can be lit.
      if (layers.length > 0 && !layers.includes(lit)) session.light(layers[layers.length - 1]);
      if (layers.length > 0) session.setState({ layers });
    } else {
      const project = history.project();
      const ends = [lit, layer].map((id) => layerIndex(project, id)).sort((a, b) => a - b);
      session.setState({ layers: project.layers.slice(ends[0], ends[1] + 1).map(({ id }) => id) });
    }
  },
});

/** Picks every layer of the stack but the base. */
export const pickAllLayers = command({
  name: 'Pick all layers above the base',
  palette: 'Layer',
  looks: true,
  refusal: ({ history }) =>
    history.project().layers.length < 2 ? { reason: 'There is only the base' } : undefined,
  run({ session, history }) {
    const layers = history.project().layers.slice(1);
    const ids = layers.map(({ id }) => id);
    if (!ids.includes(session.getState().lit)) session.light(ids[ids.length - 1]);
    session.setState({ layers: ids });
  },
});

const pickNeighbour = (name: string, shortcut: string, by: 1 | -1) =>
  command({
    name,
    palette: 'Layer',
    shortcut,
    looks: true,
    run(editor) {
      const { session, history } = editor;
      const { layers } = history.project();
      const before = pickedLayers(editor);
      const next = layers[layerIndex(history.project(), session.getState().lit) + by];
      if (!next) return;
      // Back over what was picked lets go of it again.
      const { lit } = session.getState();
      const picked = before.includes(next.id) ? before.filter((id) => id !== lit) : [...before, next.id];
      session.setState({ layers: picked });
      session.light(next.id);
    },
  });

export const pickAbove = pickNeighbour('Light the lane above and pick it too', 'Shift+Up', 1);
export const pickBelow = pickNeighbour('Light the lane below and pick it too', 'Shift+Down', -1);
