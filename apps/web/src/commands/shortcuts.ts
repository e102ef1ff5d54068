import type { Command } from './command.js';
import { toggleCompare } from './comparing.js';
import { fitCurves, insertHere, toggleCurves } from './curves.js';
import { groupPicked } from './groups.js';
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
} from './keys.js';
import { lightAbove, lightBelow } from './layers.js';
import { markFrame, toMarkAfter, toMarkBefore } from './marks.js';
import { pickAbove, pickBelow } from './picked-layers.js';
import { pickBothSides, pickChildren, pickKeyed, pickLimb, pickOtherSide } from './picking.js';
import { keySeen } from './pose.js';
import { copyPose, holdKey, keyBelow, keyRest, pasteMirrored, pastePose } from './poses.js';
import { redo, undo } from './project.js';
import { toggleTouchUp } from './touch-up.js';
import { toggleTrails } from './trails.js';
import * as transport from './transport.js';
import { keyLitWeight } from './values.js';
import { nextVariant } from './variants.js';
import { hidePicked, letGo, openPalette, playLitAlone, showAllParts } from './view.js';
import { lookFromFront, lookFromSide, lookFromTop } from './views.js';

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
  pickAbove,
  pickBelow,
  groupPicked,
  nextVariant,
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
  hidePicked,
  showAllParts,
  lookFromFront,
  lookFromSide,
  lookFromTop,
  letGo,
];
