import { type Applied, type AppliedKind, type Layer, layerById, standingOf } from '@evlay/core';
import { appliedTo, takeAway } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { takesNoKeys } from './no-keys.js';

export const lit = ({ session }: Editor): string => session.getState().lit;

export const litLayer = (editor: Editor): Layer | undefined =>
  layerById(editor.history.project(), lit(editor));

/** Why the lit layer has no keys of joints with which something can be done. */
export function unkeyed(editor: Editor): Refusal | undefined {
  const layer = litLayer(editor);
  if (!layer) return { reason: 'No layer is lit' };
  const without = takesNoKeys(layer);
  if (without) return { reason: `${layer.name} ${without}` };
  if (layer.content.kind === 'nothing') return { reason: `${layer.name} has no keys yet` };
  return undefined;
}

/** What of a kind was worked out on the lit layer for these joints in this order, and stands as it was written. */
export function appliedNow(
  editor: Editor,
  kind: AppliedKind,
  joints: readonly number[],
): Applied | undefined {
  const project = editor.history.project();
  const layer = layerById(project, lit(editor));
  return layer && appliedTo(layer, kind, namesAt(editor, joints));
}

export const namesAt = ({ history }: Editor, joints: readonly number[]): string[] =>
  joints.flatMap((j) => history.project().rig.joints[j]?.name ?? []);

/** Takes away what was worked out on the lit layer: its keys are again what they were before. */
export const takeAppliedAway = command<Applied>({
  name: 'Take away what was worked out',
  layer: lit,
  refusal(editor, applied) {
    const layer = layerById(editor.history.project(), lit(editor));
    return layer && standingOf(layer).includes(applied)
      ? undefined
      : { reason: 'Its keys were changed by hand since' };
  },
  run: (editor, applied, change) => change((project) => takeAway(project, lit(editor), applied)),
});
