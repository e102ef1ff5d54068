import { curvesOf } from '@evlay/core/edit';
import type { PointerEvent } from 'react';
import { moveKeys } from '../../commands/keys/keys.js';
import type { Editor } from '../../editor/editor.js';
import { startDrag } from '../../gestures/gesture.js';
import { snapped } from '../../timeline/snap.js';
import { framesPerPixel, type TimeScale } from '../../timeline/time-scale.js';

/**
 * Drags the picked keys in time, by whole frames; with Ctrl copies of them. `grabbed` is the frame of the project on which
 * the key that was taken hold of stands.
 */
export function dragPickedKeys(
  editor: Editor,
  press: PointerEvent,
  scale: TimeScale,
  grabbed?: number,
): void {
  const picks = editor.session.getState().keys;
  const project = editor.history.project();
  const before = curvesOf(project, picks);
  startDrag(editor, press, {
    command: moveKeys,
    to: (dx, _, { ctrlKey, metaKey }) => ({
      picks,
      by: snapped(project, scale, grabbed, dx * framesPerPixel(scale)),
      copies: ctrlKey || metaKey,
      before,
    }),
  });
}
