import { layerById } from '@evlay/core';
import { evenPace, touchUpPath } from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { limbEndingAt } from '../../editor/limbs.js';
import { command, type Refusal } from '../command.js';
import { litRefusal, tryPose } from '../poses/pose.js';
import { litTarget } from '../scene/targets.js';
import { canMove } from './view.js';

/** Shows the paths of the picked joints, a dot a frame. */
export const toggleTrails = command({
  name: 'Show the trails of picked joints',
  palette: 'Curves and timing',
  shortcut: 'Shift+T',
  looks: true,
  run: ({ session }) => session.setState(({ trails }) => ({ trails: !trails, brush: false })),
});

/** Takes the brush with which trails are smoothed, or lays it down. */
export const toggleBrush = command({
  name: 'Smooth a trail with the brush',
  palette: 'Curves and timing',
  looks: true,
  refusal(editor) {
    const { session, history } = editor;
    const { picked, lit, brush } = session.getState();
    if (brush) return undefined;
    const project = history.project();
    const joint = picked.at(-1);
    if (joint === undefined)
      return { reason: 'Pick a hand, a foot, the head or the root, whose trail is shown' };
    return canMove(project, layerById(project, lit), joint)
      ? brushRefusal(editor, joint)
      : { reason: `${project.rig.joints[joint].name} is no end of a limb: its trail cannot be moved` };
  },
  run: ({ session }) => session.setState(({ brush }) => ({ brush: !brush, trails: true })),
});

/** Why the lit layer takes no touch-up of the trail of a joint, if it takes none: keys of all joints that would turn. */
function brushRefusal(editor: Editor, joint: number): Refusal | undefined {
  const project = editor.history.project();
  const layer = layerById(project, editor.session.getState().lit);
  const refusal = litRefusal(editor);
  if (refusal) return { reason: refusal.reason };
  if (layer?.mode !== 'additive')
    return { reason: 'A smoothed trail is a touch-up: light an additive layer, or add one' };
  const turned = limbEndingAt(project, joint)?.chain ?? [joint];
  return tryPose.refusal?.(editor, new Map(turned.map((j) => [j, {}])));
}

/** Brings a joint to places at frames, as a touch-up on the lit additive layer. */
export const brushTrail = command<{
  readonly joint: number;
  readonly goals: ReadonlyMap<number, readonly number[]>;
}>({
  name: 'Smooth a trail',
  layer: ({ session }) => session.getState().lit,
  refusal: (editor, { joint }) => brushRefusal(editor, joint),
  run({ history, session }, { joint, goals }, change) {
    const { lit } = session.getState();
    const limb = limbEndingAt(history.project(), joint);
    change((project) => touchUpPath(project, lit, { joint, ...(limb && { limb }) }, goals));
    session.setState({ asked: undefined });
  },
});

/** What runs along a path: the picked joint where a target on the lit layer or it itself has one, else the root. */
function runner({ history, session }: Editor): string {
  const project = history.project();
  const { lit, picked } = session.getState();
  const { rig } = project;
  const joint = rig.joints[picked.at(-1) ?? -1];
  const root = rig.joints.find(({ parent }) => parent < 0)!;
  return joint && (joint.parent < 0 || litTarget(project, lit, joint.name)) ? joint.name : root.name;
}

/** Lets the root, or a prop or target that is picked, run along its path at an even pace between its keys on the lit layer. */
export const makePaceEven = command({
  name: 'Make the pace along the path even',
  palette: 'Curves and timing',
  layer: ({ session }) => session.getState().lit,
  refusal(editor) {
    const project = editor.history.project();
    const layer = layerById(project, editor.session.getState().lit);
    const joint = runner(editor);
    return layer && evenPace(project, layer.id, joint) !== project
      ? undefined
      : { reason: `The lit layer has no three keys on the place of ${joint}, or its pace is even` };
  },
  run(editor, _, change) {
    const joint = runner(editor);
    change((project) => evenPace(project, editor.session.getState().lit, joint));
  },
});
