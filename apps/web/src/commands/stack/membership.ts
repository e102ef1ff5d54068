import { type Channel, layerById } from '@evlay/core';
import {
  allowAll,
  allowChannels,
  allowJoints,
  type BrokenLimb,
  brokenLimbs,
  limitToJoints,
  refuseJoints,
} from '@evlay/core/edit';
import { partLabel } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { namesPicked } from '../../editor/picked.js';
import { notify } from '../../ui/notify.js';
import { type Change, command, type Refusal } from '../command.js';

const lit = ({ session }: Editor) => session.getState().lit;

const nonePicked = (editor: Editor): Refusal | undefined =>
  namesPicked(editor).length === 0 ? { reason: 'No joint is picked' } : undefined;

const notLimited = ({ history, session }: Editor): Refusal | undefined =>
  layerById(history.project(), session.getState().lit)?.allows
    ? undefined
    : { reason: 'The layer may key every joint already' };

const brokenNow = ({ history, session }: Editor): readonly BrokenLimb[] => {
  const layer = layerById(history.project(), session.getState().lit);
  return layer ? brokenLimbs(history.project(), layer) : [];
};

/** Says which limbs the lit layer can no longer bring anywhere, and offers to complete them. */
function tellBroken(editor: Editor, before: readonly BrokenLimb[]): void {
  const broken = brokenNow(editor).filter(({ name }) => !before.some((one) => one.name === name));
  if (broken.length === 0) return;
  const id = editor.session.getState().lit;
  const layer = layerById(editor.history.project(), id)!;
  const lacking = broken.flatMap((limb) => limb.lacking);
  notify({
    title: `${layer.name} keys ${broken.map(({ name }) => partLabel(name)).join(', ')} in part`,
    text: `It can turn joints there, but bring no end to a place: ${lacking.slice(0, 3).join(', ')} may not turn.`,
    action: {
      label: 'Complete the limb',
      run: () =>
        editor.history.edit((project) =>
          allowJoints(project, id, [...new Set([...lacking, ...Object.keys(layer.allows ?? {})])]),
        ),
    },
  });
}

const withPicked = (
  name: string,
  refusal: (editor: Editor) => Refusal | undefined,
  run: (editor: Editor, joints: readonly string[], change: Change) => void,
) =>
  command({
    name,
    palette: 'Layer',
    layer: lit,
    refusal,
    run(editor, _, change) {
      const before = brokenNow(editor);
      run(editor, namesPicked(editor), change);
      tellBroken(editor, before);
    },
  });

/** What the lit layer may key is set from what is picked. */
export const limitKeysToPicked = withPicked(
  'Let the layer key what is picked alone',
  nonePicked,
  (editor, joints, change) => change((project) => limitToJoints(project, lit(editor), joints)),
);

export const letKeyPicked = withPicked(
  'Let the layer key what is picked too',
  (editor) => nonePicked(editor) ?? notLimited(editor),
  (editor, joints, change) => change((project) => allowJoints(project, lit(editor), joints)),
);

export const keepKeysOffPicked = withPicked(
  'Keep the layer from keying what is picked',
  nonePicked,
  (editor, joints, change) => change((project) => refuseJoints(project, lit(editor), joints)),
);

export const letKeyAll = withPicked('Let the layer key every joint', notLimited, (editor, _, change) =>
  change((project) => allowAll(project, lit(editor))),
);

/** Which channels of the picked joints the lit layer may key. */
export const letKeyChannels = command<readonly Channel[]>({
  name: 'Choose which channels the layer may key',
  layer: lit,
  refusal: nonePicked,
  run(editor, channels, change) {
    const before = brokenNow(editor);
    change((project) => allowChannels(project, lit(editor), namesPicked(editor), channels));
    tellBroken(editor, before);
  },
});
