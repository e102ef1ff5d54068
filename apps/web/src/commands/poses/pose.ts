import { channelsOf, emptyRecord, entryOf, type Layer, layerById, layerIndex, type Pose } from '@evlay/core';
import {
  addLayer,
  changesTo,
  extendSpan,
  keyPose,
  type PoseValues,
  poseRefusal,
  touchUp,
} from '@evlay/core/edit';
import { spanFactor } from '@evlay/core/evaluate';
import { isFace, memberName, memberNames } from '@evlay/core/rig';
import { type ChannelValues, SMALLEST_ALPHA, solvePose, type WantedTransform } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { limbEndingAt } from '../../editor/limbs.js';
import { membersPicked } from '../../editor/picked.js';
import { notify } from '../../ui/notify.js';
import { type Change, command, type Refusal } from '../command.js';
import { takesNoKeys } from '../keys/no-keys.js';

/** Joints and face channels that are to be seen somewhere, by index among the members of the rig, and where; nothing where it is only asked whether they can be. */
export type Posing = ReadonlyMap<number, WantedTransform>;

/** Why the lit layer takes no poses at all, if it does not: what is said of it. */
function neverPosed(layer: Layer): string | undefined {
  if (layer.locked) return 'is locked';
  return takesNoKeys(layer);
}

/** Why joints cannot be posed together on the lit layer at the playhead, if they cannot. */
function jointsRefusal(
  { history, session, stage, playhead }: Editor,
  joints: readonly number[],
): Refusal | undefined {
  const project = history.project();
  const index = layerIndex(project, session.getState().lit);
  const refusal = poseRefusal(project, stage.get().stack, index, joints, playhead.get());
  return (
    refusal && {
      reason: refusal.reason,
      remedy: { label: refusal.remedy, run: () => history.edit(refusal.apply) },
    }
  );
}

/**
 * Why joints cannot be posed on the lit layer at the playhead, if they cannot. A take, contacts and a locked layer offer
 * a new additive layer above them, on which what is wanted is keyed in the same step.
 */
function posingRefusal(editor: Editor, posing: Posing): Refusal | undefined {
  const { lit } = editor.session.getState();
  const { layers } = editor.history.project();
  const index = layers.findIndex(({ id }) => id === lit);
  const layer = layers[index];
  if (!layer) return undefined;
  const stays = neverPosed(layer);
  if (stays)
    return {
      reason: `${layer.name} ${stays}`,
      remedy: { label: 'Pose on a new additive layer', run: () => keyOnNewLayer(editor, posing) },
    };
  return jointsRefusal(editor, [...posing.keys()]);
}

/** Of joints that are to be posed those that can be on the lit layer at the playhead. */
export function reachableOf(editor: Editor, posing: Posing): Posing {
  return new Map([...posing].filter(([joint]) => !jointsRefusal(editor, [joint])));
}

function keyOnNewLayer(editor: Editor, posing: Posing): void {
  const { history, session, playhead } = editor;
  const { lit } = session.getState();
  const picked = membersPicked(editor);
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

/** Stretches the span of the lit layer to the playhead, where it follows keys and counts less than in full here, and says so. */
function reachHere({ history, session, playhead }: Editor, change: Change): void {
  const layer = layerById(history.project(), session.getState().lit);
  const frame = playhead.get();
  if (!layer?.follows || spanFactor(layer.span, frame) === 1) return;
  change((project) => extendSpan(project, layer.id, frame));
  if (spanFactor(layer.span, frame) < SMALLEST_ALPHA)
    notify({
      title: `${layer.name} reaches to here now`,
      text: 'Its span follows its keys: from the first to the last, with fades before and after.',
    });
}

/** Solves what the lit layer must hold to show joints where they are wanted. Undefined where it cannot. */
function solveLit({ history, session, stage, playhead }: Editor, posing: Posing): PoseValues | undefined {
  const index = layerIndex(history.project(), session.getState().lit);
  if (index < 0) return undefined;
  const { stack, project } = stage.get();
  const solved = solvePose(stack, playhead.get(), index, posing);
  if (!solved) return undefined;
  const values = emptyRecord<ChannelValues>();
  for (const [j, channels] of solved) values[memberName(project.rig, j)] = channels;
  return values;
}

/** As {@link solveLit}, leaving out joints that the layers above cover. */
function solveShown(editor: Editor, posing: Posing): PoseValues | undefined {
  const all = solveLit(editor, posing);
  if (all) return all;
  const shown = new Map([...posing].filter(([j, wanted]) => solveLit(editor, new Map([[j, wanted]]))));
  return shown.size > 0 ? solveLit(editor, shown) : undefined;
}

/** Shows values on the lit layer, as a pose that is tried and not keyed. */
function tryValues({ session }: Editor, values: PoseValues): void {
  const { lit, trial } = session.getState();
  const merged = emptyRecord<ChannelValues>(trial?.layer === lit ? trial.values : {});
  for (const [name, channels] of Object.entries(values)) merged[name] = { ...merged[name], ...channels };
  session.setState({ trial: { layer: lit, values: merged } });
}

/** Shows joints where they are wanted, as a pose that is tried on the lit layer and not keyed. */
export const tryPose = command<Posing>({
  name: 'Pose the joint',
  refusal: posingRefusal,
  run(editor, posing, change) {
    if (posing.size > 0) reachHere(editor, change);
    const values = solveLit(editor, posing);
    if (values) tryValues(editor, values);
  },
});

export const dropTrial = command({
  name: 'Drop the tried pose',
  palette: 'Pose and key',
  looks: true,
  run: ({ session }) => session.setState({ trial: undefined }),
});

/** Keys values on a layer at the playhead; as a touch-up where that is switched on and the layer adds. */
function keyValuesOn({ session, playhead, history }: Editor, id: string, values: PoseValues, change: Change) {
  const { touchUp: reach } = session.getState();
  const project = history.project();
  const layer = layerById(project, id);
  const frame = playhead.get();
  if (!reach || layer?.mode !== 'additive') {
    change((now) => keyPose(now, id, frame, values));
    return;
  }
  const done = { layer: id, frame, ...reach, changes: changesTo(project, id, frame, values) };
  change((now) => touchUp(now, done));
  session.setState({ lastTouchUp: done, asked: undefined });
}

/** Keys the tried pose at the playhead. */
export const keyTrial = command({
  name: 'Key the tried pose',
  palette: 'Pose and key',
  layer: ({ session }) => session.getState().trial?.layer,
  run(editor, _, change) {
    const { trial } = editor.session.getState();
    if (!trial) return;
    editor.session.setState({ trial: undefined });
    keyValuesOn(editor, trial.layer, trial.values, change);
  },
});

/** Keys values on the lit layer, or tries them where auto key is off. */
export function setLitValues(editor: Editor, values: PoseValues, change: Change): void {
  const { lit, autoKey } = editor.session.getState();
  reachHere(editor, change);
  if (autoKey) keyValuesOn(editor, lit, values, change);
  else tryValues(editor, values);
}

/** Why nothing at all can be posed on the lit layer, whichever joints are meant. */
export function litRefusal(editor: Editor): Refusal | undefined {
  return posingRefusal(editor, new Map());
}

/**
 * Shows a pose on the lit layer and keys it where auto key is on: of the joints that are wanted those that can be posed
 * there. Refused where none can.
 */
export const showPose = command<Posing>({
  name: 'Set the pose',
  refusal: (editor, posing) =>
    litRefusal(editor) ??
    (reachableOf(editor, posing).size === 0 && posing.size > 0 ? posingRefusal(editor, posing) : undefined),
  run(editor, posing, change) {
    const reachable = reachableOf(editor, posing);
    if (reachable.size > 0) reachHere(editor, change);
    const values = solveShown(editor, reachable);
    if (values) setLitValues(editor, values, change);
  },
});

/**
 * The joints and face channels that are meant: those that are picked, else all that the lit layer keys. With a hand, a foot or the head
 * comes what the layer keys of its limb, as long as keys of a limb stay together.
 */
export function membersMeant(editor: Editor): readonly number[] {
  const { history, session } = editor;
  const { lit, limbLinked } = session.getState();
  const picked = membersPicked(editor);
  const project = history.project();
  const layer = layerById(project, lit);
  const keyed = layer ? channelsOf(layer) : {};
  const isKeyed = (j: number) => entryOf(keyed, memberName(project.rig, j)) !== undefined;
  if (picked.length === 0) return memberNames(project.rig).flatMap((_, j) => (isKeyed(j) ? [j] : []));
  if (!limbLinked) return picked;
  const limbs = picked.flatMap((j) => limbEndingAt(project, j)?.chain ?? []);
  return [...new Set([...picked, ...limbs.filter(isKeyed)])];
}

/** Where joints of a pose are, as what is wanted: rotations, and the translation and scale of what moves and scales on the layer. */
export function wantedAsIn(editor: Editor, pose: Pose, members: readonly number[]): Posing {
  const project = editor.history.project();
  const layer = layerById(project, editor.session.getState().lit);
  return new Map(
    members.map((j): readonly [number, WantedTransform] => {
      if (isFace(project.rig, j)) return [j, { m: pose.faces[j - project.rig.joints.length] }];
      const { name, parent } = project.rig.joints[j];
      const keyed = layer && entryOf(channelsOf(layer), name);
      const moves = parent < 0 || keyed?.tx;
      const rotation = [...pose.rotations.subarray(4 * j, 4 * j + 4)];
      const translation = [...pose.translations.subarray(3 * j, 3 * j + 3)];
      const scale = [...pose.scales.subarray(3 * j, 3 * j + 3)];
      return [j, { rotation, ...(moves && { translation }), ...(keyed?.sx && { scale }) }];
    }),
  );
}

/**
 * Keys on the lit layer what is seen: the tried pose if there is one, else the picked joints, else every joint that the
 * layer keys already.
 */
export const keySeen = command({
  name: 'Key what is seen: the tried pose, the picked joints, or all that the layer keys',
  palette: 'Pose and key',
  shortcut: 'Enter',
  refusal(editor) {
    if (editor.session.getState().trial) return refusalOfTrial(editor);
    const joints = membersMeant(editor);
    if (joints.length === 0)
      return { reason: 'Nothing is keyed on the layer yet: pick a joint in the view, or key a pose first' };
    return posingRefusal(editor, new Map([[joints[0], {}]]));
  },
  run(editor, _, change) {
    const { session, stage, playhead } = editor;
    const { lit, trial } = session.getState();
    if (trial) {
      keyTrial.run(editor, undefined, change);
      return;
    }
    const values = emptyRecord<ChannelValues>();
    // What is seen now is what is keyed, also where the layer has let go by half.
    const seen = wantedAsIn(editor, stage.get().pose, membersMeant(editor));
    reachHere(editor, change);
    for (const [j, wanted] of seen) {
      const solved = solveLit(editor, new Map([[j, wanted]]));
      if (solved) Object.assign(values, solved);
    }
    change((project) => keyPose(project, lit, playhead.get(), values));
  },
});

function refusalOfTrial({ history, session }: Editor): Refusal | undefined {
  const layer = layerById(history.project(), session.getState().trial?.layer ?? '');
  return layer?.locked ? { reason: `${layer.name} is locked` } : undefined;
}
