import { channelsOf, entryOf, layerById } from '@evlay/core';
import { deletePickSet, keepPickSet } from '@evlay/core/edit';
import { isFace, isWithin, memberIndex, memberName, memberNames, partnerOf } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { limbWith } from '../../editor/limbs.js';
import { membersPicked, namesPicked } from '../../editor/picked.js';
import { command, type Refusal } from '../command.js';

const nonePicked = (editor: Editor): Refusal | undefined =>
  membersPicked(editor).length === 0 ? { reason: 'No joint is picked' } : undefined;

/**
 * Picks joints and face channels, by index among the members of the rig, in place of those that are picked; the last joint has
 * the handles.
 */
export const pickJoints = command<readonly number[]>({
  name: 'Pick joints',
  looks: true,
  run({ session, history }, members) {
    const { rig } = history.project();
    session.setState({
      picked: members.filter((member) => !isFace(rig, member)),
      faces: members.filter((member) => isFace(rig, member)).map((member) => memberName(rig, member)),
      parts: [],
    });
  },
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
      const picked = next(editor, membersPicked(editor));
      if (picked.length > 0) pickJoints.run(editor, picked, () => undefined);
    },
  });

/** The limb of a joint, its end last. */
export const limbJoints = ({ history }: Editor, joint: number): readonly number[] =>
  limbWith(history.project(), joint)?.chain ?? [joint];

export const pickLimb = picksFrom('Pick the limbs of the picked joints', 'L', (editor, picked) => [
  ...new Set(
    picked.flatMap((member) =>
      isFace(editor.history.project().rig, member) ? [member] : limbJoints(editor, member),
    ),
  ),
]);

export const pickChildren = picksFrom(
  'Pick the picked joints and all below them',
  'B',
  ({ history }, picked) => {
    const { rig } = history.project();
    const below = [
      ...rig.joints.flatMap((_, j) => (picked.some((top) => isWithin(rig, j, top)) ? [j] : [])),
      ...picked.filter((member) => isFace(rig, member)),
    ];
    // What had the handles keeps them.
    return [...below.filter((j) => j !== picked.at(-1)), picked.at(-1)!];
  },
);

export const pickOtherSide = picksFrom(
  'Pick the same joints on the other side',
  'O',
  ({ history }, picked) => {
    const { rig } = history.project();
    return picked.map((j) => partnerOf(rig, j)).filter((j) => j >= 0);
  },
);

export const pickBothSides = picksFrom(
  'Pick the same joints on the other side too',
  'Shift+O',
  ({ history }, picked) => {
    const { rig } = history.project();
    return [...new Set([...picked.map((j) => partnerOf(rig, j)).filter((j) => j >= 0), ...picked])];
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
    const picked = memberNames(project.rig).flatMap((name, j) => (entryOf(keyed, name) ? [j] : []));
    pickJoints.run(editor, picked, () => undefined);
  },
});

/** Keeps which joints are picked, under a name. */
export const keepPicked = command<string>({
  name: 'Keep what is picked as a set',
  refusal: nonePicked,
  run(editor, name, change) {
    const joints = namesPicked(editor);
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
      joints.map((joint) => memberIndex(rig, joint)).filter((j) => j >= 0),
      () => undefined,
    );
  },
});

export const dropSet = command<string>({
  name: 'Delete a set of joints',
  run: (_, name, change) => change((project) => deletePickSet(project, name)),
});
