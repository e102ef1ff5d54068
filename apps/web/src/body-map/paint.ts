import type { PointerEvent } from 'react';
import { paintParts } from '../commands/stack/weighing.js';
import type { Editor } from '../editor/editor.js';
import { startDrag } from '../gestures/gesture.js';
import { partAt } from '../gestures/part-at.js';

/** A stroke over the body map from the part that was pressed: every part that it passes weighs as much. */
export function paintStroke(editor: Editor, press: PointerEvent, part: string, value: number): void {
  if (press.button !== 0) return;
  const passed = new Set([part]);
  const wish = () => ({ parts: [...passed], value });
  startDrag(editor, press, {
    command: paintParts,
    atOnce: wish(),
    to(_dx, _dy, move) {
      const under = partAt(move.clientX, move.clientY);
      if (under !== undefined) passed.add(under);
      return wish();
    },
  });
}
