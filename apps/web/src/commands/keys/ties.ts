import { baseOf } from '@evlay/core';
import { tieKeys, tiesOf, untieKeys } from '@evlay/core/edit';
import type { MotionEvent } from '@evlay/core/kit';
import type { Editor } from '../../editor/editor.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';

const picked = ({ session }: Editor) => session.getState().keys;
const layersOf = (editor: Editor) => [...new Set(picked(editor).map(({ address }) => address.layer))];

/** Lets the picked keys hang on an event of what is below: when it is corrected, they move along. */
export const tiePicked = command<MotionEvent>({
  name: 'Tie the picked keys to an event',
  layer: layersOf,
  refusal(editor) {
    if (picked(editor).length === 0) return { reason: 'No key is picked' };
    const base = baseOf(editor.history.project());
    return layersOf(editor).includes(base.id)
      ? { reason: 'Events are those of the base: its own keys cannot hang on them' }
      : undefined;
  },
  run(editor, event, change) {
    change((project) => tieKeys(project, picked(editor), event));
    notify({
      title: `Tied to ${event.name}`,
      text: 'When the contact or the mark is corrected, these keys move along.',
    });
  },
});

/** Lets the picked keys hang on nothing. */
export const untiePicked = command({
  name: 'Untie the picked keys from their events',
  palette: 'Curves and timing',
  layer: layersOf,
  refusal: (editor) =>
    tiesOf(editor.history.project(), picked(editor)).length === 0
      ? { reason: 'No picked key hangs on an event' }
      : undefined,
  run: (editor, _, change) => change((project) => untieKeys(project, picked(editor))),
});
