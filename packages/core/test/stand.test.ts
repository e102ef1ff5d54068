import { describe, expect, it } from 'vitest';
import { quayRun } from '../../demo/src/brindle/quay-run.js';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { offItsPlace, standOf } from '../src/check/index.js';
import { projectFromTake, setGround } from '../src/edit/index.js';
import { readProject, readTake, writeProject } from '../src/format/index.js';
import type { Project } from '../src/index.js';
import { captureBytes } from './capture.js';

const NO_FIGURE = new Uint8Array();
const demos: Project[] = [await lampLighting(NO_FIGURE), await quayRun(NO_FIGURE)];

const NO_TURN = { rx: 0, ry: 0, rz: 0 };

/** The project with its base moved in the world, which shows the character elsewhere at every frame. */
const moved = (project: Project, tx: number, ty: number, tz: number): Project => {
  const [base, ...others] = project.layers;
  const placement = { ...NO_TURN, pivot: [0, 0, 0] as const, tx, ty, tz };
  return { ...project, layers: [{ ...base, placement }, ...others] };
};

const capture = projectFromTake(readTake('01_01.bvh', captureBytes()).take);

describe('Where a character stands', () => {
  it('is its place in the demos, and in a capture, whose rest pose is half under the floor', () => {
    for (const project of [...demos, capture])
      expect(offItsPlace(project, standOf(project))).toEqual({ floor: false, far: false });
  });

  it('is found where it was moved to, and is right on the ground that is laid there', async () => {
    for (const project of demos)
      for (const [x, y, z] of [
        [0, -1.02, 0],
        [0, 0.6, 0],
        [-70, 0.01, 45],
        [200, -3, 0],
      ]) {
        const [before, off] = [standOf(project), moved(project, x, y, z)];
        const stand = standOf(off);
        expect(stand.under).toBeCloseTo(before.under - y, 6);
        expect(stand.at[0]).toBeCloseTo(before.at[0] + x, 6);
        expect(stand.at[2]).toBeCloseTo(before.at[2] + z, 6);
        expect(offItsPlace(off, stand)).toEqual({ floor: Math.abs(y) > 0.5, far: Math.hypot(x, z) > 60 });
        const put = setGround(off, stand.at);
        expect(standOf(put).under).toBeCloseTo(0, 9);
        expect(offItsPlace(put, standOf(put))).toEqual({ floor: false, far: false });
        expect(setGround(put, [0, 0, 0])).toEqual(off);
      }
  });

  it('is kept in the file', async () => {
    const put = setGround(capture, [1, -2.5, 3]);
    expect((await readProject(writeProject(put), 'x.evlay')).project.ground).toEqual([1, -2.5, 3]);
  });
});
