import { deleteLayerKeys, deleteWeightKeys, keyFrames, keyMarks, keyWeight, layerById, layerIndex, type Mode, type Reference } from '@evlay/core';
import { addLayer, addTakeLayer, deleteLayer, duplicateLayer, keyPose, type PoseValues, poseRefusal, type Refusal, setLayer } from '@evlay/core/edit';
import { channelsOfPose, solveChannels, type WantedTransform } from '@evlay/core/solve';
import { notify } from './notify.js';
import { playhead } from './playhead.js';
import { currentProject, edit } from './project-store.js';
import { light, NOTHING, sessionStore, setSession } from './session-store.js';
import { stage } from './stage.js';

/** Adds a layer above the lit one, limited to the picked joints, and lights it. */
export function addAboveLit(mode: Mode): void {
  const { lit, picked } = sessionStore.getState();
  let id = '';
  edit((project) => {
    const added = addLayer(project, { mode, above: lit, joints: picked, frame: playhead.get() });
    id = added.id;
    return added.project;
  });
  light(id);
}

/** Adds a layer that plays a take of the project above the lit one, and lights it. */
export function addTakeAboveLit(take: string, mode: Mode, reference?: Reference, step?: symbol): void {
  let id = '';
  edit((project) => {
    const added = addTakeLayer(project, { take, mode, reference, above: sessionStore.getState().lit });
    id = added.id;
    return added.project;
  }, step);
  light(id);
}

export function duplicateLit(): void {
  let id = sessionStore.getState().lit;
  if (layerIndex(currentProject(), id) <= 0) return;
  edit((project) => {
    const added = duplicateLayer(project, id);
    id = added.id;
    return added.project;
  });
  light(id);
}

/** Deletes a layer and lights the one below it. */
export function removeLayer(id: string): void {
  const { layers } = currentProject();
  const index = layers.findIndex((layer) => layer.id === id);
  if (index <= 0) return;
  light(layers[index - 1].id);
  edit((project) => deleteLayer(project, id));
}

/** Why a joint cannot be posed now, with what to do about it. */
export type Hindrance = Pick<Refusal, 'reason' | 'remedy'> & { readonly act: () => void };

/**
 * Why joint `j` cannot be posed on the lit layer at the playhead, if it cannot. The base and a locked layer
 * offer a new additive layer above them, on which `values` are keyed in the same step.
 */
export function hindrance(j: number, wanted?: WantedTransform): Hindrance | undefined {
  const project = currentProject();
  const { lit } = sessionStore.getState();
  const shown = stage.get();
  const index = layerIndex(project, lit);
  if (!shown || index < 0) return undefined;
  const layer = project.layers[index];
  if (layer.take || layer.locked || index === 0) {
    return {
      reason: layer.locked
        ? `${layer.name} is locked`
        : index === 0
          ? `${layer.name} is the base and stays as it came`
          : `${layer.name} plays a take, which stays as it came`,
      remedy: 'Pose on a new additive layer',
      act: () => keyOnNewLayer(j, wanted),
    };
  }
  const refusal = poseRefusal(project, shown.stack, index, j, playhead.get());
  return refusal && { reason: refusal.reason, remedy: refusal.remedy, act: () => edit(refusal.apply) };
}

function keyOnNewLayer(j: number, wanted: WantedTransform | undefined): void {
  const { lit, picked } = sessionStore.getState();
  const step = Symbol('new layer');
  let id = '';
  edit((project) => {
    const added = addLayer(project, { mode: 'additive', above: lit, joints: picked, frame: playhead.get() });
    id = added.id;
    return added.project;
  }, step);
  light(id);
  const shown = stage.get();
  if (!wanted || !shown) return;
  const values = solveChannels(shown.stack, playhead.get(), layerIndex(currentProject(), id), j, wanted);
  if (values)
    edit((project) => keyPose(project, id, playhead.get(), { [project.rig.joints[j].name]: values }), step);
}

/** Solves what the lit layer must hold to show a joint where it is wanted. Undefined where it cannot. */
export function solveLit(j: number, wanted: WantedTransform): PoseValues | undefined {
  const shown = stage.get();
  const index = layerIndex(currentProject(), sessionStore.getState().lit);
  if (!shown || index < 0) return undefined;
  const values = solveChannels(shown.stack, playhead.get(), index, j, wanted);
  return values && { [shown.project.rig.joints[j].name]: values };
}

/** Tries values on the lit layer; they show and are not in the project until they are keyed. */
export function tryPose(values: PoseValues): void {
  const { lit, trial } = sessionStore.getState();
  const before = trial?.layer === lit ? trial.values : {};
  const merged = { ...before };
  for (const [joint, channels] of Object.entries(values)) merged[joint] = { ...merged[joint], ...channels };
  setSession({ trial: { layer: lit, values: merged } });
}

export const dropTrial = (): void => setSession({ trial: undefined });

/** Keys the tried pose at the playhead. */
export function keyTrial(): void {
  const { trial } = sessionStore.getState();
  if (!trial) return;
  setSession({ trial: undefined });
  edit((project) => keyPose(project, trial.layer, playhead.get(), trial.values));
}

/**
 * Keys on the lit layer what is seen: the tried pose if there is one, else the picked joints, else every joint
 * that the layer keys already.
 */
export function keyLit(): void {
  const { lit, picked, trial } = sessionStore.getState();
  if (trial) {
    keyTrial();
    return;
  }
  const project = currentProject();
  const shown = stage.get();
  const layer = layerById(project, lit);
  if (!shown || !layer) return;
  const joints =
    picked.length > 0
      ? picked
      : project.rig.joints.flatMap((joint, j) => (layer.channels[joint.name] ? [j] : []));
  if (joints.length === 0) {
    notify({ title: 'Nothing to key', text: 'Pick a joint in the view, or key a pose first.' });
    return;
  }
  const hindered = hindrance(joints[0]);
  if (hindered) {
    tellHindrance(hindered);
    return;
  }
  const values: Record<string, PoseValues[string]> = {};
  for (const j of joints) {
    const rotation = [...shown.pose.rotations.subarray(4 * j, 4 * j + 4)];
    const moves = project.rig.joints[j].parent < 0 || layer.channels[project.rig.joints[j].name]?.tx;
    const { tx, ty, tz } = channelsOfPose(shown.stack, j, shown.pose);
    const solved = solveLit(j, { rotation, ...(moves && { translation: [tx, ty, tz] }) });
    if (solved) Object.assign(values, solved);
  }
  edit((current) => keyPose(current, lit, playhead.get(), values));
}

export function tellHindrance({ reason, remedy, act }: Hindrance): void {
  notify({ title: 'Not posed', text: `${reason}.`, action: { label: remedy, run: act } });
}

/** Keys the lit layer's weight at the playhead, or that of the parts that are picked on the body map. */
export function keyLitWeight(): void {
  const { lit, parts } = sessionStore.getState();
  const step = Symbol('key weight');
  if (parts.length === 0) edit((project) => keyWeight(project, { layer: lit }, playhead.get()), step);
  for (const part of parts) edit((project) => keyWeight(project, { layer: lit, part }, playhead.get()), step);
}

/** Deletes what is selected on the lanes. */
export function deleteSelected(): void {
  const { lit, selection } = sessionStore.getState();
  if (selection.frames.length + selection.ids.length === 0) return;
  const layer = layerById(currentProject(), lit);
  if (layer?.locked) {
    notify({
      title: 'Not deleted',
      text: `${layer.name} is locked.`,
      action: { label: 'Unlock it', run: () => edit((project) => setLayer(project, lit, { locked: false })) },
    });
    return;
  }
  setSession({ selection: NOTHING });
  if (selection.kind === 'keys') edit((project) => deleteLayerKeys(project, lit, selection.frames));
  else edit((project) => deleteWeightKeys(project, { layer: lit }, selection.ids));
}

/** The frame of the lit layer's key before (-1) or after (1) a frame. */
export function neighbourKey(frame: number, direction: 1 | -1): number | undefined {
  const project = currentProject();
  const layer = layerById(project, sessionStore.getState().lit);
  const shown = stage.get()?.stack.layers.find((compiled) => compiled.layer.id === layer?.id);
  if (!layer || !shown) return undefined;
  const frames = keyMarks(shown.time, keyFrames(layer), ...project.range).map((mark) => mark.frame);
  return direction > 0
    ? frames.find((key) => key > frame + 1e-6)
    : frames.findLast((key) => key < frame - 1e-6);
}

/** Lights the lane above (1) or below (-1). */
export function lightNeighbour(direction: 1 | -1): void {
  const { layers } = currentProject();
  const next = layers[layerIndex(currentProject(), sessionStore.getState().lit) + direction];
  if (next) light(next.id);
}
