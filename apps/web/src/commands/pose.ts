import { channelsOf, emptyRecord, entryOf, layerById, layerIndex } from '@evlay/core';
import { addLayer, keyPose, type PoseValues, poseRefusal } from '@evlay/core/edit';
import { channelsOfPose, solvePose, type WantedTransform } from '@evlay/core/solve';
import type { Editor } from '../editor/editor.js';
import { command, type Refusal } from './command.js';

/** Joints that are to be seen somewhere, by index, and where; nothing where it is only asked whether they can be. */
export type Posing = ReadonlyMap<number, WantedTransform>;

/**
 * Why joints cannot be posed on the lit layer at the playhead, if they cannot. The base, a take and a locked layer offer
 * a new additive layer above them, on which what is wanted is keyed in the same step.
 */
function poseHindrance(editor: Editor, posing: Posing): Refusal | undefined {
  const project = editor.history.project();
  const { lit } = editor.session.getState();
  const index = layerIndex(project, lit);
  const layer = project.layers[index];
  if (!layer) return undefined;
  const stays = layer.locked
    ? 'is locked'
    : index === 0
      ? 'is the base and stays as it came'
      : layer.content.kind === 'take'
        ? 'plays a take, which stays as it came'
        : undefined;
  if (stays)
    return {
      reason: `${layer.name} ${stays}`,
      remedy: {
        label: 'Pose on a new additive layer',
        run: () => keyOnNewLayer(editor, posing),
      },
    };
  for (const joint of posing.keys()) {
    const refusal = poseRefusal(project, editor.stage.get().stack, index, joint, editor.playhead.get());
    if (refusal)
      return {
        reason: refusal.reason,
        remedy: { label: refusal.remedy, run: () => editor.history.edit(refusal.apply) },
      };
  }
  return undefined;
}

function keyOnNewLayer(editor: Editor, posing: Posing): void {
  const { history, session, playhead } = editor;
  const { lit, picked } = session.getState();
  const step = Symbol('new layer');
  let id = '';
  history.edit((project) => {
    const added = addLayer(project, {
      mode: 'additive',
      above: lit,
      joints: picked.length > 0 ? [...new Set([...picked, ...posing.keys()])] : [],
      frame: playhead.get(),
    });
    id = added.id;
    return added.project;
  }, step);
  session.light(id);
  const values = solveLit(editor, posing);
  if (values && Object.values(values).some((channels) => Object.keys(channels).length > 0))
    history.edit((project) => keyPose(project, id, playhead.get(), values), step);
}

/** Solves what the lit layer must hold to show joints where they are wanted. Undefined where it cannot. */
function solveLit({ history, session, stage, playhead }: Editor, posing: Posing): PoseValues | undefined {
  const index = layerIndex(history.project(), session.getState().lit);
  if (index < 0) return undefined;
  const { stack, project } = stage.get();
  const solved = solvePose(stack, playhead.get(), index, posing);
  if (!solved) return undefined;
  const values = emptyRecord<PoseValues[string]>();
  for (const [j, channels] of solved) values[project.rig.joints[j].name] = channels;
  return values;
}

/** Shows joints where they are wanted, as a pose that is tried on the lit layer and not keyed. */
export const tryPose = command<Posing>({
  name: 'Pose the joint',
  refusal: poseHindrance,
  run(editor, posing) {
    const values = solveLit(editor, posing);
    if (!values) return;
    const { lit, trial } = editor.session.getState();
    const merged = emptyRecord<PoseValues[string]>(trial?.layer === lit ? trial.values : {});
    for (const [name, channels] of Object.entries(values)) merged[name] = { ...merged[name], ...channels };
    editor.session.setState({ trial: { layer: lit, values: merged } });
  },
});

export const dropTrial = command({
  name: 'Drop the tried pose',
  looks: true,
  run: ({ session }) => session.setState({ trial: undefined }),
});

/** Keys the tried pose at the playhead. */
export const keyTrial = command({
  name: 'Key the tried pose',
  layer: ({ session }) => session.getState().trial?.layer,
  run({ session, playhead }, _, change) {
    const { trial } = session.getState();
    if (!trial) return;
    session.setState({ trial: undefined });
    change((project) => keyPose(project, trial.layer, playhead.get(), trial.values));
  },
});

/** The joints that are to be keyed: those that are picked, or all that the lit layer keys. */
function jointsToKey({ history, session }: Editor): readonly number[] {
  const { lit, picked } = session.getState();
  if (picked.length > 0) return picked;
  const project = history.project();
  const layer = layerById(project, lit);
  const keyed = layer ? channelsOf(layer) : {};
  return project.rig.joints.flatMap((joint, j) => (entryOf(keyed, joint.name) ? [j] : []));
}

/**
 * Keys on the lit layer what is seen: the tried pose if there is one, else the picked joints, else every joint that the
 * layer keys already.
 */
export const keySeen = command({
  name: 'Key what is seen: the tried pose, the picked joints, or all that the layer keys',
  keys: 'Enter',
  refusal(editor) {
    if (editor.session.getState().trial) return refusalOfTrial(editor);
    const joints = jointsToKey(editor);
    if (joints.length === 0)
      return { reason: 'Nothing is keyed on the layer yet: pick a joint in the view, or key a pose first' };
    return poseHindrance(editor, new Map([[joints[0], {}]]));
  },
  run(editor, _, change) {
    const { session, stage, playhead, history } = editor;
    const { lit, trial } = session.getState();
    if (trial) {
      keyTrial.run(editor, undefined, change);
      return;
    }
    const shown = stage.get();
    const layer = layerById(history.project(), lit);
    const values = emptyRecord<PoseValues[string]>();
    for (const j of jointsToKey(editor)) {
      const { name, parent } = shown.project.rig.joints[j];
      const rotation = [...shown.pose.rotations.subarray(4 * j, 4 * j + 4)];
      const moves = parent < 0 || (layer && entryOf(channelsOf(layer), name)?.tx);
      const { tx, ty, tz } = channelsOfPose(shown.stack, j, shown.pose);
      const solved = solveLit(
        editor,
        new Map([[j, { rotation, ...(moves && { translation: [tx, ty, tz] }) }]]),
      );
      if (solved) Object.assign(values, solved);
    }
    change((project) => keyPose(project, lit, playhead.get(), values));
  },
});

function refusalOfTrial({ history, session }: Editor): Refusal | undefined {
  const layer = layerById(history.project(), session.getState().trial?.layer ?? '');
  return layer?.locked ? { reason: `${layer.name} is locked` } : undefined;
}
