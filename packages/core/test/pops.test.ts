import { describe, expect, it } from 'vitest';
import { idle } from '../../demo/src/wick/idle.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { walk } from '../../demo/src/wick/walk.js';
import { random } from '../bench/subject.js';
import { type Finding, findingSteps } from '../src/check/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import { finished, type Take } from '../src/index.js';
import { resampled } from '../src/take/index.js';
import { captureBytes } from './capture.js';
import { times } from './reference-math.js';

const { take } = readTake('01_01.bvh', captureBytes());
const RATES = [30, 120].map((rate) => (rate === 120 ? take : { ...take, ...resampled(take, rate) }));
const WALK: Take = { ...take, ...walk(), rig: WICK, id: 'walk' };

function popsOf(motion: Take, range: readonly [number, number] = [0, motion.count - 1]): Finding[] {
  const project = { ...projectFromTake(motion), range, fps: 1 / motion.interval };
  return finished(findingSteps(project)).filter(({ kind }) => kind === 'pop');
}

/** The same with a joint turned by 10 degrees about a drawn axis, at one sample or from it on. */
function planted(motion: Take, joint: number, from: number, to: number, next: () => number): Take {
  const axis = [next() - 0.5, next() - 0.5, next() - 0.5];
  const half = (5 * Math.PI) / 180;
  const turn = [...axis.map((v) => (v / Math.hypot(...axis)) * Math.sin(half)), Math.cos(half)];
  const { joints, values } = motion.rotations;
  const turned = values.slice();
  for (let s = from; s <= to; s++) {
    const o = 4 * (s * joints.length + [...joints].indexOf(joint));
    turned.set(times([...values.subarray(o, o + 4)], turn), o);
  }
  return { ...motion, rotations: { ...motion.rotations, values: turned } };
}

/** Of leaps planted into a motion, how many are found, and those that are not. */
function plant(motions: readonly Take[], joints: RegExp, each: number, lasts: boolean) {
  const next = random(lasts ? 11 : 5);
  const missed: string[] = [];
  let all = 0;
  for (const motion of motions)
    for (const [joint, { name }] of motion.rig.joints.entries())
      for (let n = 0; n < each && joints.test(name); n++) {
        const rate = Math.round(1 / motion.interval);
        const at = Math.floor((0.1 + 0.8 * next()) * motion.count);
        const bad = planted(motion, joint, at, lasts ? motion.count - 1 : at, next);
        const around = [Math.max(0, at - 2 * rate), Math.min(motion.count - 1, at + 2 * rate)] as const;
        const pops = popsOf(bad, around).filter(({ frame }) => Math.abs(frame - at) < 0.07 * rate);
        if (!pops.some((pop) => pop.joint === name)) missed.push(`${name} at ${at} of ${rate} a second`);
        all++;
      }
  return { all, missed };
}

describe('pops', () => {
  const CAPTURED =
    /^(LowerBack|Spine1?|Neck1?|Head|LeftShoulder|(Left|Right)(Arm|ForeArm|Hand|UpLeg|Leg)|LeftFoot)$/;
  const BY_RULE = /^(Spine|Chest|Neck|Head|.*(Arm|arm|Hand|Leg|Foot))$/;

  it('of one sample are found, in necks and hands as in legs', () => {
    const { all, missed } = plant([...RATES, WALK], CAPTURED, 2, false);
    expect(all).toBeGreaterThan(70);
    expect(missed.length / all, missed.join(', ')).toBeLessThan(0.1);
    const ruled = plant([WALK], BY_RULE, 2, false);
    expect(ruled.all).toBeGreaterThan(20);
    expect(ruled.missed.length / ruled.all, ruled.missed.join(', ')).toBeLessThan(0.1);
  });

  it('that last, as where a layer sets in, are found', () => {
    const { all, missed } = plant(RATES, CAPTURED, 2, true);
    expect(missed.length / all, missed.join(', ')).toBeLessThan(0.3);
    const ruled = plant([WALK], BY_RULE, 2, true);
    expect(ruled.missed.length / ruled.all, ruled.missed.join(', ')).toBeLessThan(0.3);
  });

  it('are few where nothing was planted: a landing is none, nor is what a joint does now and then', () => {
    for (const motion of [...RATES, WALK, { ...WALK, ...idle() }]) {
      const grave = popsOf(motion).filter(({ grade }) => grade !== 'note');
      const listed = grave.map(({ joint, frame }) => `${joint} at ${frame}`).join(', ');
      expect(grave.length / (motion.count * motion.interval), listed).toBeLessThan(0.3);
    }
  });
});
