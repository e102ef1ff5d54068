import { baseOf, contactsOf, layerById, layerIndex } from '@evlay/core';
import { type Crossing, crossingRange } from '@evlay/core/cross';
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
      if (layer && contactsOf(layer))
        return { reason: `${layer.name} keeps feet in their places: it is no performance` };
      if (layer?.content.kind === 'nothing') return { reason: `${layer.name} has nothing on it` };
    }
    return undefined;
  },
  run(editor) {
    endPreview(editor);
    editor.session.setState({ crossing: performances(editor), merging: undefined, kit: undefined });
  },
});

export const closeCrossings = command({
  name: 'Leave the crossings',
  palette: 'Layer',
  looks: true,
  run(editor) {
    endPreview(editor);
    editor.session.setState({ crossing: undefined });
  },
});

/** Lets a crossing be seen that is pointed at, as it would be written, over and over; none where undefined. */
export const lookAtCrossing = command<Crossing | undefined>({
  name: 'Look at a crossing',
  looks: true,
  run(editor, crossing) {
    const { session, transport, playhead } = editor;
    endPreview(editor);
    const { crossing: wanted, playing } = session.getState();
    if (!wanted || !crossing) return;
    const back = { frame: playhead.get(), playing };
    if (playing) transport.pause();
    session.setState({ crossing: { ...wanted, preview: { crossing, back } } });
    transport.goTo(crossing.frame);
    if (matchMedia('(prefers-reduced-motion: reduce)').matches) return;
    transport.goTo(crossingRange(editor.history.project(), crossing)[0]);
    transport.play();
  },
});

/** Goes back to what was seen before a crossing was looked at. */
export function endPreview({ session, transport }: Editor): void {
  const { crossing } = session.getState();
  if (!crossing?.preview) return;
  const { back } = crossing.preview;
  const { preview: _, ...wanted } = crossing;
  transport.pause();
  session.setState({ crossing: wanted });
  transport.goTo(back.frame);
  if (back.playing) transport.play();
}

/** Lets the upper performance take over at a crossing, and goes to a little before it. */
export const crossHere = command<{ upper: string; crossing: Crossing }>({
  name: 'Let it take over here',
  layer: (_, { upper }) => upper,
  refusal: ({ history }, { upper }) =>
    layerById(history.project(), upper) ? undefined : { reason: 'The layer is not there any more' },
  run(editor, { upper, crossing }, change) {
    const { transport, session } = editor;
    endPreview(editor);
    change((project) => crossOver(project, upper, crossing));
    session.light(upper);
    transport.goTo(crossing.frame);
  },
});
