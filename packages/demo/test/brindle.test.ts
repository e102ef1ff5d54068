import { compileStack, evaluateStack, finished, type Project, restPose } from '@evlay/core';
import { findCrossings, lowerPerformance, regionsOf, upperPerformance, usualWish } from '@evlay/core/cross';
import { crossOver } from '@evlay/core/edit';
import { readGlbRig, readTake } from '@evlay/core/format';
import { fitMotion, mappingOf, matchRigs } from '@evlay/core/match';
import { findParts, globalMatrices, rolesOf } from '@evlay/core/rig';
import type { Motion, Samples } from '@evlay/core/take';
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';
import { positionsAt } from '../../core/test/positions.js';
import { SOLIDS } from '../src/brindle/body.js';
import { FPS, type Gait, gaitLoop, reachError, TROT, WALK } from '../src/brindle/gaits.js';
import { quayRun } from '../src/brindle/quay-run.js';
import { BRINDLE, PLACES } from '../src/brindle/skeleton.js';
import { figureGlb } from '../src/glb.js';
import { suitCapture } from '../src/wick/capture.js';
import { idle } from '../src/wick/idle.js';
import { WICK } from '../src/wick/skeleton.js';
import { walk } from '../src/wick/walk.js';

const apart = (a: readonly number[], b: readonly number[]) => Math.hypot(...a.map((v, k) => v - b[k]));

const LEGS = ['LeftFore', 'RightFore', 'LeftHind', 'RightHind'] as const;

describe.each([
  ['walk', WALK],
  ['trot', TROT],
] as const)('the %s of Brindle', (_, gait: Gait) => {
  const samples: Samples = gaitLoop(gait);
  const at = (s: number) => positionsAt({ ...samples, rig: BRINDLE }, s);

  it('has feet that reach where they have to be, and stay there while they stand', () => {
    expect(reachError(gait)).toBeLessThan(0.004);
    let standing = 0;
    for (const leg of LEGS)
      for (let s = 1; s < samples.count; s++) {
        const [before, now] = [at(s - 1), at(s)].map((places) => places(`${leg}Toes`));
        if (before[1] > 0.0245 || now[1] > 0.0245) continue;
        standing++;
        expect(apart(before, now)).toBeLessThan(0.006);
      }
    // Each of four legs stands for its part of the cycle.
    expect(standing / (4 * gait.frames)).toBeGreaterThan(gait.stance - 0.1);
  });

  it('comes round after a cycle, one stride further on', () => {
    const [first, last] = [at(0), at(samples.count - 1)];
    for (const { name } of BRINDLE.joints) {
      const [a, b] = [first(name), last(name)];
      expect(apart([a[0], a[1], a[2] + gait.stride], b)).toBeLessThan(1e-9);
    }
  });
});

describe('Brindle', () => {
  it('walks in four beats and trots in two, the diagonal feet together (common practice)', () => {
    const order = [...LEGS].sort((a, b) => WALK.strikes[a] - WALK.strikes[b]);
    expect(order).toEqual(['LeftHind', 'LeftFore', 'RightHind', 'RightFore']);
    expect(Math.abs(TROT.strikes.LeftHind - TROT.strikes.RightFore)).toBeLessThan(0.05);
    expect(TROT.stride / TROT.frames).toBeGreaterThan(1.8 * (WALK.stride / WALK.frames));
  });

  it('has 35 joints, parts of four legs, and roles as a body has', () => {
    expect(BRINDLE.joints.length).toBe(35);
    const parts = new Set(findParts(BRINDLE));
    for (const part of [
      'leftForeLeg',
      'rightForeFoot',
      'leftHindLeg',
      'rightHindFoot',
      'tail',
      'head',
      'neck',
      'torso',
      'hips',
    ])
      expect([...parts]).toContain(part);
    const roles = rolesOf(BRINDLE).map((role) => role?.role);
    for (const role of ['hips', 'head', 'tail5', 'leftUpperLeg', 'rightHand', 'leftLowerArm', 'leftFoot'])
      expect(roles).toContain(role);
  });

  it('is a valid skinned file of her rig', async () => {
    const glb = await figureGlb(
      'Brindle',
      BRINDLE,
      PLACES.map(({ at }) => at),
      SOLIDS,
    );
    expect((await validateBytes(glb)).issues.numErrors).toBe(0);
    const rig = readGlbRig(glb);
    expect(rig.joints.map(({ name, parent }) => [name, parent])).toEqual(
      BRINDLE.joints.map(({ name, parent }) => [name, parent]),
    );
  });

  it('changes from walk to trot leg by leg, going on all the while', () => {
    const project = quayRun(new Uint8Array());
    const pose = restPose(BRINDLE);
    const stack = compileStack(project);
    let before = Number.NaN;
    const speeds: number[] = [];
    for (let frame = 0; frame <= 150; frame++) {
      evaluateStack(stack, frame, pose);
      if (frame > 0) speeds.push((pose.translations[2] - before) * FPS);
      before = pose.translations[2];
    }
    expect(Math.min(...speeds)).toBeGreaterThan(0.4);
    expect(Math.max(...speeds)).toBeLessThan(2.2);
    const trot = project.layers[1];
    const starts = ['leftHindLeg', 'rightForeLeg', 'rightHindLeg', 'leftForeLeg'].map((part) => {
      const weight = trot.mask![part];
      return typeof weight === 'number' ? Number.NaN : weight.keys[0].frame;
    });
    expect(new Set(starts).size).toBe(4);
  });
});

describe('Wick', () => {
  it('waits with his feet where they are, and comes round', () => {
    const motion = { ...idle(), rig: WICK };
    const [first, last] = [positionsAt(motion, 0), positionsAt(motion, motion.count - 1)];
    for (const { name } of WICK.joints) expect(apart(first(name), last(name))).toBeLessThan(1e-9);
    for (let s = 0; s < motion.count; s += 5)
      for (const foot of ['LeftFoot', 'RightFoot'])
        expect(apart(positionsAt(motion, s)(foot), first(foot))).toBeLessThan(0.002);
  });

  it('captured in the suit is himself again when he is matched: thighs, shins and arms point as they did', () => {
    const { take } = readTake('suit-walk.bvh', new TextEncoder().encode(suitCapture()));
    expect(take.rig.joints.some(({ name }) => WICK.joints.some((joint) => joint.name === name))).toBe(false);
    const mapping = mappingOf(take.rig, WICK, matchRigs(take.rig, WICK));
    const back = fitMotion(take, WICK, mapping);
    const own = { ...walk(), rig: WICK };
    const bones = ['Left', 'Right'].flatMap((side) => [
      [`${side}UpperLeg`, `${side}LowerLeg`],
      [`${side}LowerLeg`, `${side}Foot`],
      [`${side}UpperArm`, `${side}Forearm`],
      [`${side}Forearm`, `${side}Hand`],
    ]);
    for (let s = 0; s < own.count; s += 10) {
      const [a, b] = [positionsAt(back, s), positionsAt(own, s)];
      for (const [start, end] of bones) {
        const [u, v] = [a, b].map((places) => {
          const d = places(end).map((value, k) => value - places(start)[k]);
          return d.map((value) => value / Math.hypot(...d));
        });
        expect((Math.asin(Math.min(1, apart(u, v) / 2)) * 360) / Math.PI).toBeLessThan(0.01);
      }
    }
    // Taller by a little more than the legs are longer, he goes as far for his size.
    const travel = (motion: Motion) =>
      positionsAt(motion, 120)('Hips')[2] - positionsAt(motion, 0)('Hips')[2];
    expect(travel(back)).toBeCloseTo(travel(own), 2);
  });
});

describe('crossing from the walk to the trot of Brindle', () => {
  const quay = quayRun(new Uint8Array());
  const [walking, trotting] = quay.layers;
  const bare: Project = {
    ...quay,
    layers: [walking, { ...trotting, mask: undefined, placement: undefined }],
  };
  const wish = usualWish(FPS);
  const lower = finished(lowerPerformance(bare, 'base', [30, 100]));
  const upper = finished(upperPerformance(bare, 'trot', wish.around + wish.fade));
  const regions = regionsOf(BRINDLE, bare.parts);

  /** The longest way of a foot's lowest point while it stands, in the project, by who has the leg at a frame. */
  function slides(
    project: Project,
    stands: (foot: string, s: number) => boolean,
    count: number,
  ): Map<string, number> {
    const places = Array.from({ length: count }, (_, s) => {
      const pose = restPose(BRINDLE);
      evaluateStack(compileStack(project), lower.first + s, pose);
      return globalMatrices(BRINDLE, pose, new Float64Array(16 * BRINDLE.joints.length));
    });
    return new Map(
      regions.flatMap(({ foot }) => {
        if (!foot) return [];
        let most = 0;
        let way = 0;
        for (let s = 1; s < count; s++) {
          const height = (j: number) => places[s][16 * j + 13] + places[s - 1][16 * j + 13];
          const j = foot.points.reduce((a, b) => (height(b) < height(a) ? b : a));
          const standing = stands(foot.joint, s) && stands(foot.joint, s - 1);
          const step = [12, 14].map((k) => places[s][16 * j + k] - places[s - 1][16 * j + k]);
          way = standing ? way + Math.hypot(...step) : 0;
          most = Math.max(most, way);
        }
        return [[foot.joint, most] as const];
      }),
    );
  }

  it('keeps every foot where it stands, as well as the gaits themselves do', () => {
    const crossings = finished(findCrossings(bare, { lower: bare.layers[0].id, upper: 'trot' }));
    expect(crossings.length).toBeGreaterThan(2);
    const own = slides(
      { ...bare, layers: [walking] },
      (foot, s) => lower.stands.get(foot)![s] === 1,
      lower.count,
    );
    for (const crossing of crossings.slice(0, 2)) {
      const shift = crossing.other - upper.first - (crossing.frame - lower.first);
      const changed = new Map(
        regions.flatMap(({ name, foot }) =>
          foot ? [[foot.joint, crossing.changes.find(({ region }) => region === name)!] as const] : [],
        ),
      );
      const stands = (foot: string, s: number) =>
        lower.first + s < changed.get(foot)!.frame
          ? lower.stands.get(foot)![s] === 1
          : upper.stands.get(foot)![s + shift] === 1;
      const end = Math.min(lower.count, upper.count - shift);
      const crossed = slides(crossOver(bare, 'trot', crossing), stands, end);
      // To a millimetre.
      for (const [foot, way] of crossed) expect(way).toBeLessThan(own.get(foot)! + 0.001);
      for (const { foot } of changed.values()) expect(foot).not.toBe('slides');
    }
  });
});
