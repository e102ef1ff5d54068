import { layerById, layerIndex, type Project, type Target, targetRefusal, targetsOf } from '@evlay/core';
import {
  addTarget,
  dragRefusal,
  dragTarget,
  keyTarget,
  removeTarget,
  setTargetSpace,
  setTargetToward,
  setTargetTurn,
  type WantedPlace,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { limbsOf } from '../../editor/limbs.js';
import { command, type Refusal } from '../command.js';

/** Names a target: its layer and its id. */
export interface OfTarget {
  readonly layer: string;
  readonly target: string;
}

/** The target that the lit layer has on a joint; the last one where there are several. */
export function litTarget(project: Project, lit: string, joint: string | undefined): Target | undefined {
  const layer = layerById(project, lit);
  return layer && targetsOf(layer).findLast((target) => target.joint === joint);
}

/** The name of the joint that was picked last. */
export const pickedName = ({ history, session }: Editor): string | undefined =>
  history.project().rig.joints[session.getState().picked.at(-1) ?? -1]?.name;

/** The lit layer where a new target can go onto it: one with targets, or an empty override layer; not the base. */
export function litTakesTarget({ history, session }: Editor): string | undefined {
  const project = history.project();
  const { lit } = session.getState();
  const layer = layerById(project, lit);
  if (!layer || layer.locked || layer.mode !== 'override' || layerIndex(project, lit) === 0) return undefined;
  return layer.content.kind === 'nothing' || targetsOf(layer).length > 0 ? lit : undefined;
}

/**
 * Lets the picked joint stay where it is seen: in the world, or on another joint. The target goes onto the lit layer where
 * that has targets or is empty, else onto a new layer above it, which is lit then.
 */
export const stay = command<{ readonly space?: string }>({
  name: 'Stay here',
  refusal(editor, { space }): Refusal | undefined {
    const joint = pickedName(editor);
    if (joint === undefined)
      return { reason: 'Pick the hand, foot, prop or other joint that is to stay where it is' };
    const project = editor.history.project();
    const found = targetRefusal(project.rig, limbsOf(project), { joint, space }, 'override');
    if (!found) return undefined;
    return { reason: `${found.field === 'space' ? space : joint} ${found.reason}` };
  },
  run(editor, { space }, change) {
    const { session, playhead } = editor;
    const joint = pickedName(editor)!;
    const on = litTakesTarget(editor);
    let id = '';
    change((project) => {
      const where = on === undefined ? { above: session.getState().lit } : { on };
      const { wholeRange: whole } = session.getState();
      const added = addTarget(project, { joint, space, frame: playhead.get(), whole }, where);
      id = added.id;
      return added.project;
    });
    session.light(id);
  },
});

const itsLayer = (_: Editor, { layer }: OfTarget) => layer;

export const removeTheTarget = command<OfTarget>({
  name: 'Take the target off',
  layer: itsLayer,
  run: (_, { layer, target }, change) => change((project) => removeTarget(project, layer, target)),
});

export const keyTheTarget = command<OfTarget>({
  name: 'Key the target',
  layer: itsLayer,
  run: ({ playhead }, { layer, target }, change) =>
    change((project) => keyTarget(project, layer, target, playhead.get())),
});

export const moveToSpace = command<OfTarget & { readonly space: string | undefined }>({
  name: 'Move the target into another space',
  layer: itsLayer,
  refusal({ history }, { layer, target, space }) {
    const project = history.project();
    const own = layerById(project, layer);
    const one = own && targetsOf(own).find(({ id }) => id === target);
    const found =
      own && one && targetRefusal(project.rig, limbsOf(project), { joint: one.joint, space }, own.mode);
    return found ? { reason: `${space ?? 'The world'} ${found.reason}` } : undefined;
  },
  run: (_, { layer, target, space }, change) =>
    change((project) => setTargetSpace(project, layer, target, space)),
});

export const turnWithTarget = command<OfTarget & { readonly on: boolean }>({
  name: 'Hold the angle of the joint too',
  layer: itsLayer,
  run: ({ playhead }, { layer, target, on }, change) =>
    change((project) => setTargetTurn(project, layer, target, on, playhead.get())),
});

export const pointWithTarget = command<OfTarget & { readonly on: boolean }>({
  name: 'Say where knee or elbow points',
  layer: itsLayer,
  run: ({ playhead }, { layer, target, on }, change) =>
    change((project) => setTargetToward(project, layer, target, on, playhead.get())),
});

/** Brings a target to where its joint is wanted in the scene: what is seen goes there, whatever the layer counts. */
export const bringTarget = command<OfTarget & WantedPlace>({
  name: 'Move the target',
  layer: itsLayer,
  refusal({ history, stage, playhead }, { layer, target }) {
    const project = history.project();
    const index = layerIndex(project, layer);
    const one = targetsOf(project.layers[index]).find(({ id }) => id === target);
    const reason = one && dragRefusal(stage.get().stack, index, one, playhead.get());
    return reason === undefined ? undefined : { reason };
  },
  run({ playhead }, { layer, target, ...wanted }, change) {
    change((project) => {
      const frame = playhead.get();
      const turns = targetsOf(layerById(project, layer)!).find(({ id }) => id === target)?.turn;
      const turning =
        wanted.orientation && !turns ? setTargetTurn(project, layer, target, true, frame) : project;
      return dragTarget(turning, layer, target, frame, wanted).project;
    });
  },
});
