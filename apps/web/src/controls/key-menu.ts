import { SHAPES } from '@evlay/core/curve';
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
    ...SHAPES.map((shape) => item(giveShape, shape, `Shape: ${shape}`)),
    item(deleteKeys, undefined),
  ];
};
