import type { Command } from './command.js';
import { fitCurves, insertHere, toggleCurves } from './keys/curves.js';
import {
  copyKeys,
  cutKeys,
  deleteKeys,
  lowerKeys,
  nudgeEarlier,
  nudgeLater,
  pasteCopied,
  pickKeysBefore,
  pickNextKeys,
  raiseKeys,
} from './keys/keys.js';
import { toggleTouchUp } from './keys/touch-up.js';
import { keyLitWeight } from './keys/values.js';
import { toggleLocker } from './kits/kits.js';
import { pickBothSides, pickChildren, pickKeyed, pickLimb, pickOtherSide } from './poses/picking.js';
import { keySeen } from './poses/pose.js';
import { copyPose, holdKey, keyBelow, keyRest, pasteMirrored, pastePose } from './poses/poses.js';
import { markFrame, toMarkAfter, toMarkBefore } from './project/marks.js';
import { redo, undo } from './project/project.js';
import { groupPicked } from './stack/groups.js';
import { lightAbove, lightBelow, nameLit } from './stack/layers.js';
import { pickAbove, pickBelow } from './stack/picked-layers.js';
import { nextVariant } from './stack/variants.js';
import { toggleCompare, toggleGhost } from './view/comparing.js';
import { toggleTrails } from './view/trails.js';
import * as transport from './view/transport.js';
import {
  frameCharacter,
  hidePicked,
  letGo,
  moveJoints,
  openPalette,
  playLitAlone,
  scaleJoints,
  showAllParts,
  turnJoints,
} from './view/view.js';
import { lookAtFace, lookFromFront, lookFromSide, lookFromTop } from './view/views.js';

/** Commands with keys, by the screens on which they are heard, in the order in which Help lists them. */
export const PROJECT_SHORTCUTS: readonly Command[] = [undo, redo];

export const TRANSPORT_SHORTCUTS: readonly Command[] = [
  transport.togglePlay,
  transport.stepBack,
  transport.stepOn,
  transport.stepTenBack,
  transport.stepTenOn,
  transport.goFirst,
  transport.goLast,
];

export const LAYER_SHORTCUTS: readonly Command[] = [
  openPalette,
  transport.toKeyBefore,
  transport.toKeyAfter,
  markFrame,
  toMarkBefore,
  toMarkAfter,
  transport.playPicked,
  lightAbove,
  lightBelow,
  nameLit,
  pickAbove,
  pickBelow,
  groupPicked,
  nextVariant,
  toggleLocker,
  toggleCompare,
  keySeen,
  keyBelow,
  keyRest,
  holdKey,
  keyLitWeight,
  toggleTouchUp,
  copyPose,
  pastePose,
  pasteMirrored,
  pickLimb,
  pickChildren,
  pickOtherSide,
  pickBothSides,
  pickKeyed,
  pickNextKeys,
  pickKeysBefore,
  nudgeEarlier,
  nudgeLater,
  raiseKeys,
  lowerKeys,
  copyKeys,
  cutKeys,
  pasteCopied,
  deleteKeys,
  toggleCurves,
  fitCurves,
  insertHere,
  toggleTrails,
  playLitAlone,
  turnJoints,
  moveJoints,
  scaleJoints,
  frameCharacter,
  toggleGhost,
  hidePicked,
  showAllParts,
  lookFromFront,
  lookFromSide,
  lookFromTop,
  lookAtFace,
  letGo,
];
