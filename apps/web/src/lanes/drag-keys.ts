import { curvesOf } from '@evlay/core/edit';
import type { PointerEvent } from 'react';
import { moveKeys } from '../commands/keys.js';
import type { Editor } from '../editor/editor.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, type TimeScale } from '../timeline/time-scale.js';

/** Drags the picked keys in time, by whole frames; with Ctrl copies of them. */
export function dragPickedKeys(editor: Editor, press: PointerEvent, scale: TimeScale): void {
  const picks = editor.session.getState().keys;
  const before = curvesOf(editor.history.project(), picks);
  startDrag(editor, press, {
    command: moveKeys,
    to: (dx, _, { ctrlKey, metaKey }) => ({
      picks,
      by: Math.round(dx * framesPerPixel(scale)),
      copies: ctrlKey || metaKey,
      before,
    }),
  });
}
