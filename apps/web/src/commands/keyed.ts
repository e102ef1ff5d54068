import type { Command } from './command.js';
import { lightAbove, lightBelow } from './layers.js';
import { keySeen } from './pose.js';
import { redo, undo } from './project.js';
import * as transport from './transport.js';
import {
  copyKeys,
  deleteKeys,
  keyLitWeight,
  lowerKeys,
  nudgeEarlier,
  nudgeLater,
  pasteCopied,
  pickKeysBefore,
  pickNextKeys,
  raiseKeys,
} from './values.js';
import { letGo, playLitAlone } from './view.js';

/** Commands with keys, by the screens on which they are heard, in the order in which Help lists them. */
export const PROJECT_KEYS: readonly Command[] = [undo, redo];

export const TRANSPORT_KEYS: readonly Command[] = [
  transport.togglePlay,
  transport.stepBack,
  transport.stepOn,
  transport.stepTenBack,
  transport.stepTenOn,
  transport.goFirst,
  transport.goLast,
];

export const LAYER_KEYS: readonly Command[] = [
  transport.toKeyBefore,
  transport.toKeyAfter,
  lightAbove,
  lightBelow,
  keySeen,
  keyLitWeight,
  pickNextKeys,
  pickKeysBefore,
  nudgeEarlier,
  nudgeLater,
  raiseKeys,
  lowerKeys,
  copyKeys,
  pasteCopied,
  deleteKeys,
  playLitAlone,
  letGo,
];
