import { layerById } from '@evlay/core';
import {
  contactFrames,
  cycleFrames,
  hasTouchUp,
  mirroredChanges,
  type TouchUp,
  touchUp,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { FADE_SECONDS, framesIn, type TouchUpReach } from '../../editor/session.js';
import { command, type Refusal } from '../command.js';

/** How a touch-up comes and goes before anybody has said otherwise. */
function usualReach({ history }: Editor): TouchUpReach {
  const frames = framesIn(FADE_SECONDS, history.project().fps);
  return { before: frames, hold: 0, after: frames, neighbours: 0 };
}

export const toggleTouchUp = command({
  name: 'Touch up: let poses fade away on both sides',
  palette: 'Pose and key',
  shortcut: 'T',
  looks: true,
  run: (editor) =>
    editor.session.setState(({ touchUp: reach }) => ({ touchUp: reach ? undefined : usualReach(editor) })),
});

/** Where a touch-up is repeated: at the contacts of its foot, mirrored at those of the other one, or every so many frames. */
export type Repeat =
  | { readonly at: 'contacts' | 'mirrored' }
  | { readonly at: 'cycles'; readonly period: number };

/** The frames at which the last touch-up would be repeated. */
export function repeatFrames({ session, history }: Editor, repeat: Repeat): number[] {
  const { lastTouchUp } = session.getState();
  if (!lastTouchUp) return [];
  const project = history.project();
  return repeat.at === 'cycles'
    ? cycleFrames(project, lastTouchUp.frame, repeat.period)
    : contactFrames(project, lastTouchUp, repeat.at === 'mirrored');
}

function refusal(editor: Editor, repeat: Repeat): Refusal | undefined {
  const { lastTouchUp } = editor.session.getState();
  if (!lastTouchUp || !hasTouchUp(editor.history.project(), lastTouchUp))
    return { reason: 'Nothing was touched up yet: switch it on and pose' };
  if (repeatFrames(editor, repeat).length > 0) return undefined;
  return {
    reason:
      repeat.at === 'cycles'
        ? 'No other cycle lies in the range'
        : 'The base knows of no other contact of that foot: find its contacts on Takes',
  };
}

export const repeatTouchUp = command<Repeat>({
  name: 'Repeat the touch-up',
  layer: ({ session }) => session.getState().lastTouchUp?.layer,
  refusal,
  run(editor, repeat, change) {
    const last = editor.session.getState().lastTouchUp!;
    const frames = repeatFrames(editor, repeat);
    change((project) => {
      const layer = layerById(project, last.layer)!;
      const changes = repeat.at === 'mirrored' ? mirroredChanges(project, layer, last.changes) : last.changes;
      return frames.reduce(
        (current, frame) => touchUp(current, { ...last, frame, changes } satisfies TouchUp),
        project,
      );
    });
  },
});
