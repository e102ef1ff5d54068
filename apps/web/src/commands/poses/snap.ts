import { type CurveAddress, layerById, takesKeys } from '@evlay/core';
import { type SnapGoal, type Snapped, snapJoint, snapPlacement } from '@evlay/core/edit';
import { isWithin, jointIndex } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { litRefusal } from './pose.js';

/** Onto what something is put, and what of it. */
export interface Snapping {
  readonly goal: SnapGoal;
  readonly what: Snapped;
}

const nameOfPicked = ({ history, session }: Editor): string | undefined =>
  history.project().rig.joints[session.getState().picked.at(-1) ?? -1]?.name;

/** The frames of the project at which something is put: those of the picked keys of the lit layer, else the one that is shown. */
function framesMeant({ history, session, playhead }: Editor): number[] {
  const { keys, lit } = session.getState();
  const layer = layerById(history.project(), lit);
  const offset = layer?.time?.offset ?? 0;
  const speed = layer?.time?.speed || 1;
  const curveOf = (address: CurveAddress) =>
    address.kind === 'channel' && address.layer === lit && layer?.content.kind === 'curves'
      ? layer.content.channels[address.joint]?.[address.channel]
      : undefined;
  const frames = keys.flatMap(({ address, keys: ids }) =>
    (curveOf(address)?.keys ?? []).flatMap(({ id, frame }) =>
      ids.includes(id) ? [frame / speed + offset] : [],
    ),
  );
  return frames.length > 0 ? [...new Set(frames)].sort((a, b) => a - b) : [playhead.get()];
}

/** Puts the picked joint or prop, or while placing the whole performance, exactly onto another joint, a prop or a place. */
export const snapOnto = command<Snapping>({
  name: 'Put it exactly onto something',
  layer: ({ session }) => session.getState().lit,
  refusal(editor, { goal }): Refusal | undefined {
    const { placing, lit } = editor.session.getState();
    const { rig, layers } = editor.history.project();
    if (placing) return undefined;
    const joint = nameOfPicked(editor);
    if (joint === undefined)
      return { reason: 'Pick the hand, foot, prop or other joint that is to be put there' };
    if (typeof goal === 'string' && isWithin(rig, jointIndex(rig, goal), jointIndex(rig, joint)))
      return { reason: `${goal} hangs on ${joint}: it would go along` };
    const layer = layers.find(({ id }) => id === lit);
    if (layer && !takesKeys(layer)) return { reason: `${layer.name} takes no keys: light one that does` };
    return litRefusal(editor);
  },
  run(editor, { goal, what }, change) {
    const { placing, lit } = editor.session.getState();
    const joint = nameOfPicked(editor);
    if (placing) change((project) => snapPlacement(project, lit, goal, what, editor.playhead.get()));
    else if (joint !== undefined)
      change((project) => snapJoint(project, lit, joint, goal, what, framesMeant(editor)));
    editor.session.setState({ touching: false });
  },
});

/** Lets the next click on a surface say where the picked hand, foot or prop is put. */
export const touchSurface = command({
  name: 'Put it onto a surface: the next click says where',
  palette: 'Pose and key',
  looks: true,
  refusal: (editor) =>
    nameOfPicked(editor) === undefined
      ? { reason: 'Pick the hand, foot or prop that is to touch it' }
      : undefined,
  run: ({ session }) => session.setState(({ touching }) => ({ touching: !touching })),
});
