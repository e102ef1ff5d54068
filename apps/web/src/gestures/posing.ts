import { perform } from '../commands/command.js';
import { keyTrial, type Posing, tryPose } from '../commands/poses/pose.js';
import type { Editor } from '../editor/editor.js';
import { beginGesture, type Gesture } from './gesture.js';

/** Nothing is wanted yet. */
const NOWHERE: Posing = new Map();

/**
 * Begins a gesture that poses joints on the lit layer: what is wanted is tried while it lasts and keyed in the end,
 * where auto key is on. Undefined, and told, where nothing can be posed there.
 */
export function beginPosing(editor: Editor, ended?: (kept: boolean) => void): Gesture<Posing> | undefined {
  return beginGesture(editor, tryPose, NOWHERE, (kept) => {
    const { trial, autoKey } = editor.session.getState();
    if (kept && trial && autoKey) perform(editor, keyTrial, undefined);
    ended?.(kept);
  });
}
