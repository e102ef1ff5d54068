import type { Project } from '@evlay/core';
import { projectFromTake } from '@evlay/core/edit';
import { readTake } from '@evlay/core/format';

const MOTION = `HIERARCHY
ROOT Hips
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Spine
  {
    OFFSET 0 20 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    JOINT Head
    {
      OFFSET 0 30 0
      CHANNELS 3 Zrotation Xrotation Yrotation
      End Site
      {
        OFFSET 0 15 0
      }
    }
  }
}
MOTION
`;

/** A small project: three joints, a take of some samples at 30 a second. */
export function projectOf(samples: number, name = 'small'): Project {
  const rows = Array.from({ length: samples }, (_, k) => `0 90 ${k} ${k} 0 0 ${2 * k} 0 0 0 0 ${k}`);
  const text = `${MOTION}Frames: ${samples}\nFrame Time: 0.0333333\n${rows.join('\n')}\n`;
  return projectFromTake(readTake(`${name}.bvh`, new TextEncoder().encode(text)).take);
}
