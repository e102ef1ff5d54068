import { copyLayersOnto, copyOntoRefusal } from '@evlay/core/edit';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';
import { pickedLayers } from '../stack/picked-layers.js';

/** Onto which character, by its index, the picked layers are copied. */
export interface CopyingOnto {
  readonly to: number;
  readonly mirrored: boolean;
}

/** How many things that a character has not are named; the rest is counted. */
const NAMED = 6;

/** Copies what the picked layers do with one character onto another, and lights the topmost copy. */
export const copyOnto = command<CopyingOnto>({
  name: 'Copy the picked layers onto a character',
  refusal(editor, { to }) {
    const reason = copyOntoRefusal(editor.history.project(), pickedLayers(editor), to);
    return reason === undefined ? undefined : { reason };
  },
  run(editor, { to, mirrored }, change) {
    const { history, session } = editor;
    const copied = copyLayersOnto(history.project(), pickedLayers(editor), to, { mirrored });
    const { layers, leftOut } = copied;
    if (layers.length > 0) {
      change(() => copied.project);
      session.light(layers[layers.length - 1]);
      session.setState({ layers: layers.length > 1 ? layers : [] });
    }
    if (leftOut.length === 0) return;
    const said = leftOut.slice(0, NAMED).map(({ what, name }) => `${what} ${name}`);
    const more = leftOut.length - said.length;
    notify({
      title: layers.length > 0 ? 'Not all of it was copied' : 'Nothing of it was copied',
      text: `The other character has no ${said.join(', no ')}${more > 0 ? `, and ${more} more` : ''}.`,
    });
  },
});
