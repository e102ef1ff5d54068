import { pickBothSides, pickChildren, pickLimb, pickOtherSide } from '../../commands/poses/picking.js';
import { keySeen } from '../../commands/poses/pose.js';
import {
  copyPose,
  holdKey,
  keyBelow,
  keyRest,
  pasteMirrored,
  pastePose,
} from '../../commands/poses/poses.js';
import { frameCharacter, hidePicked } from '../../commands/view/view.js';
import { item, type MenuEntry } from '../../controls/context-menu.js';

/** What can be done with the picked joints where one of them is clicked in the view. */
export const jointMenu = (): readonly MenuEntry[] => [
  item(keySeen, undefined),
  item(keyBelow, undefined),
  item(keyRest, undefined),
  item(holdKey, undefined),
  item(copyPose, undefined),
  item(pastePose, undefined),
  item(pasteMirrored, undefined),
  item(pickLimb, undefined),
  item(pickChildren, undefined),
  item(pickOtherSide, undefined),
  item(pickBothSides, undefined),
  item(hidePicked, undefined),
  item(frameCharacter, undefined),
];
