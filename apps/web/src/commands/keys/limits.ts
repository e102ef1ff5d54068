import type { FindingLimits } from '@evlay/core';
import { command } from '../command.js';

/** Sets from which amounts on something is found in the motion of the project; undefined takes the usual ones. */
export const changeLimits = command<FindingLimits | undefined>({
  name: 'Change the limits of findings',
  run: (_, limits, change) => change((project) => ({ ...project, limits })),
});
