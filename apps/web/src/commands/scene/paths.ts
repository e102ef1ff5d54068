import { layerById, type TargetPath, targetRefusal, targetsOf } from '@evlay/core';
import { addPath, changePath, leanIntoBends, leanRefusal, withPointAfter } from '@evlay/core/edit';
import type { Vector3 } from '@evlay/core/rig';
import { limbsOf } from '../../editor/limbs.js';
import { command } from '../command.js';
import { litTakesTarget, type OfTarget, pickedName } from './targets.js';

/** Lets the picked prop, or another joint that is no limb's end, go along a path, on the lit layer or on a new one above it. */
export const goAlong = command({
  name: 'Go along a path',
  palette: 'Pose and key',
  refusal(editor) {
    const joint = pickedName(editor);
    if (joint === undefined) return { reason: 'Pick the prop, or the root, that is to go along a path' };
    const project = editor.history.project();
    const path = { points: [], closed: false, heading: false, along: 0 };
    const found = targetRefusal(project.rig, limbsOf(project), { joint, path }, 'override');
    return found && { reason: `${joint} ${found.reason}` };
  },
  run(editor, _, change) {
    const { session, playhead } = editor;
    const on = litTakesTarget(editor);
    const where = on === undefined ? { above: session.getState().lit } : { on };
    let id = '';
    change((project) => {
      const added = addPath(project, pickedName(editor)!, playhead.get(), where);
      id = added.id;
      return added.project;
    });
    session.light(id);
  },
});

const itsLayer = (_: unknown, { layer }: OfTarget) => layer;

/** Moves a point of a path. */
export const movePathPoint = command<OfTarget & { readonly point: number; readonly to: Vector3 }>({
  name: 'Move a point of the path',
  layer: itsLayer,
  run: (_, { layer, target, point, to }, change) =>
    change((project) =>
      changePath(project, layer, target, (path) => ({ ...path, points: path.points.with(point, to) })),
    ),
});

/** Puts a point behind another one of a path. */
export const addPathPoint = command<OfTarget & { readonly after: number }>({
  name: 'Add a point to the path',
  layer: itsLayer,
  run: (_, { layer, target, after }, change) =>
    change((project) => changePath(project, layer, target, (path) => withPointAfter(path, after))),
});

/** Takes a point out of a path. */
export const dropPathPoint = command<OfTarget & { readonly point: number }>({
  name: 'Take a point out of the path',
  layer: itsLayer,
  refusal({ history }, { layer, target }) {
    const own = layerById(history.project(), layer);
    const path = own && targetsOf(own).find(({ id }) => id === target)?.path;
    return path && path.points.length <= 2 ? { reason: 'A path has two points at least' } : undefined;
  },
  run: (_, { layer, target, point }, change) =>
    change((project) =>
      changePath(project, layer, target, (path) => ({ ...path, points: path.points.toSpliced(point, 1) })),
    ),
});

/** Closes or opens a path, or lets what goes along it turn to where it goes. */
export const setPath = command<
  OfTarget & { readonly values: Partial<Pick<TargetPath, 'closed' | 'heading'>> }
>({
  name: 'Change how the path goes',
  layer: itsLayer,
  run: (_, { layer, target, values }, change) =>
    change((project) => changePath(project, layer, target, (path) => ({ ...path, ...values }))),
});

/** Keys the turn of what goes along a path so that it leans into its bends. */
export const leanAlong = command<OfTarget>({
  name: 'Lean into the bends of the path',
  layer: itsLayer,
  refusal({ history }, { layer, target }) {
    const own = layerById(history.project(), layer);
    const one = own && targetsOf(own).find(({ id }) => id === target);
    const reason = one && leanRefusal(one);
    return reason === undefined ? undefined : { reason };
  },
  run: (_, { layer, target }, change) => change((project) => leanIntoBends(project, layer, target)),
});
