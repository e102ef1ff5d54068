import { channelsOf, entryOf, layerById } from '@evlay/core';
import { deletePickSet, keepPickSet } from '@evlay/core/edit';
import { isWithin, jointIndex, mirrorOf } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { limbWith } from '../../editor/limbs.js';
import { command, type Refusal } from '../command.js';

const nonePicked = ({ session }: Editor): Refusal | undefined =>
  session.getState().picked.length === 0 ? { reason: 'No joint is picked' } : undefined;

/** Picks joints in place of those that are picked; the last of them has the handles. */
export const pickJoints = command<readonly number[]>({
  name: 'Pick joints',
  looks: true,
  run: ({ session }, picked) => session.setState({ picked, parts: [] }),
});

/** A command that picks other joints from those that are picked. */
const picksFrom = (
  name: string,
  shortcut: string | undefined,
  next: (editor: Editor, picked: readonly number[]) => readonly number[],
) =>
  command({
    name,
    palette: 'Pick',
    shortcut,
    looks: true,
    refusal: nonePicked,
    run(editor) {
      const picked = next(editor, editor.session.getState().picked);
      if (picked.length > 0) pickJoints.run(editor, picked, () => undefined);
    },
  });

/** The limb of a joint, its end last. */
export const limbJoints = ({ history }: Editor, joint: number): readonly number[] =>
  limbWith(history.project(), joint)?.chain ?? [joint];

export const pickLimb = picksFrom('Pick the limbs of the picked joints', 'L', (editor, picked) => [
  ...new Set(picked.flatMap((joint) => limbJoints(editor, joint))),
]);

export const pickChildren = picksFrom(
  'Pick the picked joints and all below them',
  'B',
  ({ history }, picked) => {
    const { rig } = history.project();
    const below = rig.joints.flatMap((_, j) => (picked.some((top) => isWithin(rig, j, top)) ? [j] : []));
    // What had the handles keeps them.
    return [...below.filter((j) => j !== picked.at(-1)), picked.at(-1)!];
  },
);

export const pickOtherSide = picksFrom(
  'Pick the same joints on the other side',
  'O',
  ({ history }, picked) => {
    const { partners } = mirrorOf(history.project().rig);
    return picked.map((j) => partners[j]).filter((j) => j >= 0);
  },
);

export const pickBothSides = picksFrom(
  'Pick the same joints on the other side too',
  'Shift+O',
  ({ history }, picked) => {
    const { partners } = mirrorOf(history.project().rig);
    return [...new Set([...picked.map((j) => partners[j]).filter((j) => j >= 0), ...picked])];
  },
);

export const pickKeyed = command({
  name: 'Pick all joints that the lit layer keys',
  palette: 'Pick',
  shortcut: 'Shift+A',
  looks: true,
  refusal: ({ history, session }) =>
    Object.keys(
      channelsOf(layerById(history.project(), session.getState().lit) ?? { content: { kind: 'nothing' } }),
    ).length === 0
      ? { reason: 'The lit layer keys no joint' }
      : undefined,
  run(editor) {
    const { history, session } = editor;
    const project = history.project();
    const keyed = channelsOf(layerById(project, session.getState().lit)!);
    const picked = project.rig.joints.flatMap(({ name }, j) => (entryOf(keyed, name) ? [j] : []));
    pickJoints.run(editor, picked, () => undefined);
  },
});

/** Keeps which joints are picked, under a name. */
export const keepPicked = command<string>({
  name: 'Keep what is picked as a set',
  refusal: nonePicked,
  run({ history, session }, name, change) {
    const { rig } = history.project();
    const joints = session.getState().picked.map((j) => rig.joints[j].name);
    if (name.trim() !== '') change((project) => keepPickSet(project, { name: name.trim(), joints }));
  },
});

export const pickSet = command<string>({
  name: 'Pick a set of joints',
  looks: true,
  run(editor, name) {
    const { rig, sets } = editor.history.project();
    const joints = sets.find((set) => set.name === name)?.joints ?? [];
    pickJoints.run(
      editor,
      joints.map((joint) => jointIndex(rig, joint)).filter((j) => j >= 0),
      () => undefined,
    );
  },
});

export const dropSet = command<string>({
  name: 'Delete a set of joints',
  run: (_, name, change) => change((project) => deletePickSet(project, name)),
});
