import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  appliedTo,
  apply,
  movePicked,
  overlap,
  projectFromTake,
  putNoise,
  retime,
  takeAway,
} from '../src/edit/index.js';
import { readProject, readTake, writeProject } from '../src/format/index.js';
import {
  type Applied,
  channelsOf,
  keyed,
  layerById,
  newLayer,
  type Project,
  standingOf,
} from '../src/index.js';
import { captureBytes } from './capture.js';
import { curveOf } from './drawn-curve.js';

const JOINTS = ['Hips', 'LowerBack', 'Spine'];
const plain = projectFromTake(readTake('01_01.bvh', captureBytes()).take);
const swing = (by: number) => ({
  rx: curveOf([0, 0], [9, by], [30, 0]),
  tz: curveOf([3, 0.1], [20, by / 50]),
});
const project: Project = {
  ...plain,
  fps: 30,
  range: [0, 60],
  layers: [
    ...plain.layers,
    newLayer('Sway', 'additive', {
      id: 'sway',
      content: keyed({ Hips: swing(4), LowerBack: swing(-7), Head: swing(2) }),
    }),
  ],
};
const sway = (of: Project) => layerById(of, 'sway')!;

/** A channel with its keys' numbers: ids are new wherever keys are written. */
const numbersOf = (of: Project) =>
  Object.fromEntries(
    Object.entries(channelsOf(sway(of))).map(([joint, channels]) => [
      joint,
      Object.fromEntries(
        Object.entries(channels).map(([name, { keys }]) => [name, keys.map(({ id: _, ...key }) => key)]),
      ),
    ]),
  );

const noise = (of: Project, joints: readonly string[], angle: number) =>
  apply(of, 'sway', { kind: 'noise', joints, numbers: { angle } }, (before) =>
    angle === 0
      ? before
      : putNoise(before, 'sway', {
          joints,
          channels: ['rx', 'rz'],
          angle,
          length: 0,
          scale: 1,
          frequency: 2,
          seed: 3,
          everyFrame: false,
        }),
  );
const slide = (of: Project, joints: readonly string[], frames: number) =>
  apply(of, 'sway', { kind: 'overlap', joints, numbers: { frames } }, (before) =>
    overlap(before, 'sway', { joints, frames, growth: 1 }),
  );

const anyStep = fc.record({
  write: fc.constantFrom(noise, slide),
  joints: fc.shuffledSubarray([...JOINTS, 'Head'], { minLength: 2 }),
  amount: fc.constantFrom(0, 0.5, 2, 3.5),
});

describe('What is worked out on keys', () => {
  it('is taken away step by step to the keys that were there, after a file too', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anyStep, { minLength: 1, maxLength: 6 }), async (steps) => {
        let now = project;
        for (const { write, joints, amount } of steps) now = write(now, joints, amount);
        const bytes = writeProject(now);
        let again = (await readProject(bytes, 'sway.evlay')).project;
        expect(sway(again).applied?.length).toBe(sway(now).applied?.length);
        for (const start of [now, again]) {
          again = start;
          for (let last: Applied | undefined; ; ) {
            last = standingOf(sway(again)).at(-1);
            if (!last) break;
            again = takeAway(again, 'sway', last);
          }
          expect(numbersOf(again)).toEqual(numbersOf(project));
        }
      }),
      { numRuns: 25 },
    );
  });

  it('is written anew from what was there before: 3 after 2 is 3 alone, and 0 is nothing', () => {
    const once = slide(slide(project, JOINTS, 2), JOINTS, 3);
    expect(numbersOf(once)).toEqual(
      numbersOf(overlap(project, 'sway', { joints: JOINTS, frames: 3, growth: 1 })),
    );
    expect(sway(once).applied).toHaveLength(1);
    expect(numbersOf(slide(once, JOINTS, 0))).toEqual(numbersOf(project));
    expect(sway(noise(noise(project, JOINTS, 2), JOINTS, 0)).applied).toBeUndefined();
  });

  it('stands no more where keys were changed by hand or time was, and leaves these alone', () => {
    const noisy = noise(project, JOINTS, 2);
    const [applied] = standingOf(sway(noisy));
    const keys = channelsOf(sway(noisy)).Hips.rx!.keys.map(({ id }) => id);
    const address = { kind: 'channel', layer: 'sway', joint: 'Hips', channel: 'rx' } as const;
    const moved = movePicked(noisy, [{ address, keys: keys.slice(3, 4) }], { by: 0.25 });
    expect(moved).not.toBe(noisy);
    expect(appliedTo(sway(moved), 'noise', JOINTS)).toBeUndefined();
    expect(takeAway(moved, 'sway', applied)).toBe(moved);
    const { project: slower } = retime(noisy, { range: [0, 60], factor: 1.5, layers: ['sway'] });
    expect(standingOf(sway(slower))).toEqual([]);
  });
});
