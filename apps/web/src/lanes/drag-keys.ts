import { curvesOf } from '@evlay/core/edit';
import type { PointerEvent } from 'react';
import { moveKeys } from '../commands/keys.js';
import type { Editor } from '../editor/editor.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, type TimeScale } from '../timeline/time-scale.js';

/** So near, in pixels, a key comes onto a mark. */
const SNAP = 6;

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
  const near = SNAP * framesPerPixel(scale);
  /** By how much keys move: a key that is grabbed comes onto a mark that is near. */
  const snapped = (by: number): number => {
    if (grabbed === undefined) return Math.round(by);
    const mark = project.marks.find(({ frame }) => Math.abs(grabbed + by - frame) <= near);
    return mark ? mark.frame - grabbed : Math.round(by);
  };
  startDrag(editor, press, {
    command: moveKeys,
    to: (dx, _, { ctrlKey, metaKey }) => ({
      picks,
      by: snapped(dx * framesPerPixel(scale)),
      copies: ctrlKey || metaKey,
      before,
    }),
  });
}
