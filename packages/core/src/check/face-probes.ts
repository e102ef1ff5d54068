import type { Project } from '../layer/project.js';
import { facesOf } from '../rig/members.js';
import type { Probe } from './probe.js';

/** What a face channel may be beyond 0 and 1 without a word: what is seen as much as rounding. */
const LEAST = 0.01;

/** How far each face channel is beyond 0 and 1. Files may mean that, so it is no more than a note. */
export const faceProbes = ({ rig }: Project): Probe[] =>
  facesOf(rig).map(
    ({ rest }, f): Probe => ({
      kind: 'range',
      unit: 'number',
      joint: rig.joints.length + f,
      looks: [],
      around: 0,
      more: 'beyond',
      at({ faces, channels }, frame) {
        const value = faces[frame * channels + f];
        const beyond = Math.max(value - Math.max(1, rest), Math.min(0, rest) - value);
        return beyond > LEAST ? beyond : 0;
      },
    }),
  );
