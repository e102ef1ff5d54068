import { memberIndex, memberName } from '@evlay/core/rig';
import type { Editor } from './editor.js';

/** What is picked, by index among the members of the rig: joints, then face channels. */
export function membersPicked({ session, history }: Pick<Editor, 'session' | 'history'>): readonly number[] {
  const { picked, faces } = session.getState();
  if (faces.length === 0) return picked;
  const { rig } = history.project();
  return [...picked, ...faces.map((name) => memberIndex(rig, name)).filter((member) => member >= 0)];
}

/** Names of the joints and face channels that are picked. */
export function namesPicked(editor: Pick<Editor, 'session' | 'history'>): readonly string[] {
  const { rig } = editor.history.project();
  return membersPicked(editor).map((member) => memberName(rig, member));
}
