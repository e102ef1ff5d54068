import { baseOf, layerById, layerIndex } from '@evlay/core';
import type { Crossing } from '@evlay/core/cross';
import { crossOver } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';
import { pickedLayers } from './picked-layers.js';

/** The two performances between which crossings are looked for: two picked layers, or the lit one and the one that it lies over. */
function performances(editor: Editor): { lower: string; upper: string } | undefined {
  const project = editor.history.project();
  const picked = pickedLayers(editor);
  if (picked.length === 2) return { lower: picked[0], upper: picked[1] };
  if (picked.length > 2) return undefined;
  const index = layerIndex(project, picked[0]);
  return index > 0 ? { lower: baseOf(project).id, upper: picked[0] } : undefined;
}

/** Opens the finder of crossings for two performances on the stack. */
export const openCrossings = command({
  name: 'Find crossings of two performances',
  palette: 'Layer',
  looks: true,
  refusal(editor) {
    const two = performances(editor);
    if (!two) return { reason: 'Light the layer that is to take over from the base, or pick two layers' };
    const project = editor.history.project();
    for (const id of [two.lower, two.upper]) {
      const layer = layerById(project, id);
      if (layer?.mode === 'additive')
        return { reason: `${layer.name} adds to what is below: it is no performance` };
      if (layer?.content.kind === 'nothing') return { reason: `${layer.name} has nothing on it` };
    }
    return undefined;
  },
  run(editor) {
    editor.session.setState({ crossing: performances(editor) });
  },
});

export const closeCrossings = command({
  name: 'Leave the crossings',
  palette: 'Layer',
  looks: true,
  run: ({ session }) => session.setState({ crossing: undefined }),
});

/** Lets the upper performance take over at a crossing, and goes to a little before it. */
export const crossHere = command<{ upper: string; crossing: Crossing }>({
  name: 'Let it take over here',
  layer: (_, { upper }) => upper,
  refusal: ({ history }, { upper }) =>
    layerById(history.project(), upper) ? undefined : { reason: 'The layer is not there any more' },
  run({ transport, session }, { upper, crossing }, change) {
    change((project) => crossOver(project, upper, crossing));
    session.light(upper);
    transport.goTo(crossing.frame);
  },
});
