import { entryOf } from '@evlay/core';
import { memberIndex, memberName, partnerOf } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';
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
