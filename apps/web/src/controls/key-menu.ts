import type { KeyPick, Project } from '@evlay/core';
import { SHAPES } from '@evlay/core/curve';
import { eventsNear, framesOfPicked, tiesOf } from '@evlay/core/edit';
import { giveShape } from '../commands/keys/curves.js';
import {
  copyKeys,
  cutKeys,
  deleteKeys,
  doubleKeys,
  halveKeys,
  pasteCopied,
  pasteToJoint,
  reverseKeys,
  snapKeys,
} from '../commands/keys/keys.js';
import { tiePicked, untiePicked } from '../commands/keys/ties.js';
import type { Editor } from '../editor/editor.js';
import { item, type MenuEntry } from './context-menu.js';

/** What can be done with the picked keys; of copied ones that go to another joint, if one is picked. */
export const keyMenu = ({ session, history }: Editor): readonly MenuEntry[] => {
  const joint = session.getState().picked.at(-1);
  const name = joint === undefined ? undefined : history.project().rig.joints[joint]?.name;
  return [
    item(cutKeys, undefined),
    item(copyKeys, undefined),
    item(pasteCopied, undefined),
    ...(name === undefined ? [] : [item(pasteToJoint, name, `Paste the copied keys on ${name}`)]),
    item(halveKeys, undefined),
    item(doubleKeys, undefined),
    item(reverseKeys, undefined),
    item(snapKeys, undefined),
    ...tieEntries(history.project(), session.getState().keys),
    ...SHAPES.map((shape) => item(giveShape, shape, `Shape: ${shape}`)),
    item(deleteKeys, undefined),
  ];
};

/** Events near the picked keys on which they can hang, and what they hang on. */
function tieEntries(project: Project, picks: readonly KeyPick[]): readonly MenuEntry[] {
  const frames = framesOfPicked(project, picks);
  if (!frames) return [];
  const behind = (after: number) => `${after < -0.05 ? '−' : '+'} ${Number(Math.abs(after).toFixed(1))}`;
  return [
    ...tiesOf(project, picks).map(({ event, after }) =>
      item(untiePicked, undefined, `Let go of ${event} ${behind(after)}`),
    ),
    ...eventsNear(project, picks, 3).map((event) =>
      item(tiePicked, event, `Tie to ${event.name} ${behind(frames[0] - event.frame)}`),
    ),
  ];
}
