import { entryOf } from '@evlay/core';
import { holdFace, holdFaceRefusal } from '@evlay/core/edit';
import { memberIndex, memberName, partnerOf } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { notify } from '../../ui/notify.js';
import { type Change, command, type Refusal } from '../command.js';
import { type Posing, showPose } from './pose.js';

/** What face channels are to be seen at, by name. */
export type FaceWish = Readonly<Record<string, number>>;

/** The channels that are wanted, and where sides go together those on the other one, unless something else is wanted of them. */
function posingOf({ history, session }: Editor, wish: FaceWish): Posing {
  const { rig } = history.project();
  const { symmetric } = session.getState();
  const posing = new Map<number, { readonly m: number }>();
  for (const [name, m] of Object.entries(wish)) {
    const member = memberIndex(rig, name);
    if (member < 0) continue;
    posing.set(member, { m });
    const other = symmetric ? partnerOf(rig, member) : -1;
    if (other >= 0 && entryOf(wish, memberName(rig, other)) === undefined) posing.set(other, { m });
  }
  return posing;
}

/** Sets face channels to what they are seen at: the lit layer holds what that takes. */
export const setFace = command<FaceWish>({
  name: 'Set the face',
  refusal: (editor, wish) => showPose.refusal?.(editor, posingOf(editor, wish)),
  run: (editor, wish, change) => showPose.run(editor, posingOf(editor, wish), change),
});

/** Picks a face channel alone, or more to those that are picked, or less of them. */
export const pickFace = command<{ readonly name: string; readonly more: boolean }>({
  name: 'Pick a face channel',
  looks: true,
  run({ session }, { name, more }) {
    const { faces, picked } = session.getState();
    const without = faces.filter((one) => one !== name);
    session.setState({
      faces: !more ? [name] : faces.includes(name) ? without : [...faces, name],
      ...(!more && picked.length > 0 && { picked: [], parts: [] }),
    });
  },
});

/** Why face channels cannot be held. */
function noHold({ history }: Editor, names: readonly string[]): Refusal | undefined {
  if (names.length === 0) return { reason: 'Pick face channels, in the face of the body map' };
  const reason = holdFaceRefusal(history.project());
  return reason === undefined ? undefined : { reason };
}

function hold({ history }: Editor, names: readonly string[], change: Change): void {
  const before = history.project();
  change((project) => holdFace(project, names));
  const text =
    history.project() === before
      ? 'Nothing of it is beyond.'
      : 'A layer on top takes off what is beyond; do it again when something below has changed.';
  notify({ title: 'Held within 0 and 1', text });
}

/** Holds face channels within 0 and 1, by a layer on top of all. */
export const holdWithin = command<readonly string[]>({
  name: 'Hold face channels within 0 and 1',
  refusal: noHold,
  run: hold,
});

export const holdPickedWithin = command({
  name: 'Keep the picked face channels within 0 and 1',
  palette: 'Pose and key',
  refusal: (editor) => noHold(editor, editor.session.getState().faces),
  run: (editor, _, change) => hold(editor, editor.session.getState().faces, change),
});
