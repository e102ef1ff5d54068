import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { curveAt } from '../src/curve/index.js';
import {
  closeLoop,
  downTheChain,
  keyPose,
  makeLoop,
  mirrorMotion,
  overlap,
  repeatsSteps,
  retime,
  setLayerEase,
  smoothHolds,
} from '../src/edit/index.js';
import { loopGap } from '../src/evaluate/index.js';
import {
  type Channels,
  type Curve,
  compileStack,
  evaluateStack,
  finished,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newLayer,
  newTarget,
  type Project,
  restPose,
  rigOfScene,
  sceneOf,
} from '../src/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { anyRig } from './any-stack.js';
import { anyCurve, curveOf } from './drawn-curve.js';

const rig = anyRig(3);

function projectOf(channels: Channels, values: Partial<Layer> = {}, own = rig): Project {
  return {
    name: 'quay',
    fps: 30,
    range: [0, 90],
    metresPerUnit: 1,
    scene: sceneOf(own),
    rig: own,
    parts: own.joints.map(() => 'other'),
    takes: [],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [
      newLayer('Base', 'override', { id: 'base' }),
      newLayer('Layer', 'additive', { id: 'layer', content: keyed(channels), ...values }),
    ],
  };
}

/** Places of all joints of a project at a frame. */
function places(project: Project, frame: number): Float64Array {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
}

/** By how much two sets of places differ at most. */
const farthest = (a: Float64Array, b: Float64Array): number =>
  a.reduce((most, value, i) => Math.max(most, Math.abs(value - b[i])), 0);

const layerOf = (project: Project): Layer => project.layers[1];

function curvesAlike(a: Layer, b: Layer): void {
  expect(a.content.kind).toBe(b.content.kind);
  if (a.content.kind !== 'curves' || b.content.kind !== 'curves') return;
  expect(Object.keys(a.content.channels).sort()).toEqual(Object.keys(b.content.channels).sort());
  for (const [joint, channels] of Object.entries(a.content.channels))
    for (const [channel, curve] of Object.entries(channels)) {
      const other = b.content.channels[joint][channel as 'rx']!;
      for (let frame = -10; frame < 110; frame += 1.7)
        expect(curveAt(curve, frame)).toBeCloseTo(curveAt(other, frame), 6);
    }
}

/** Keys of one joint and its children, drawn. */
const anyChannels: fc.Arbitrary<Channels> = fc
  .tuple(anyCurve, anyCurve, anyCurve, anyCurve)
  .map(([a, b, c, d]) => ({ Hips: { ty: a, rx: b }, Chest: { rz: c }, LeftArm: { ry: d } }));

describe('a loop', () => {
  it('that was closed meets itself in place and speed, and what is before the stretch stays', () => {
    fc.assert(
      fc.property(anyChannels, fc.double({ min: 2, max: 12, noNaN: true }), (channels, stretch) => {
        // Keys at both ends of the cycle, or the curve goes on across the seam by itself.
        const [start, end] = [0, 40];
        const within = (curve: Curve): Curve => {
          const n = curve.keys.length - 1;
          return {
            keys: curve.keys.map((key, k) => ({
              ...key,
              ease: 'smooth',
              frame: start + ((end - start) * k) / n,
            })),
          };
        };
        const all = Object.fromEntries(
          Object.entries(channels).map(([joint, own]) => [
            joint,
            Object.fromEntries(Object.entries(own).map(([channel, curve]) => [channel, within(curve)])),
          ]),
        );
        const open = makeLoop(projectOf(all), 'layer', {});
        const shut = closeLoop(open, 'layer', stretch);
        const gap = loopGap(shut, layerOf(shut))!;
        // The gap is looked at a ten-thousandth of a frame before the seam.
        expect(gap.degrees).toBeLessThan(0.1);
        expect(gap.distance).toBeLessThan(0.05);
        const e = 1e-3;
        const { content } = layerOf(shut);
        if (content.kind !== 'curves') throw new Error('no curves');
        for (const own of Object.values(content.channels))
          for (const curve of Object.values(own)) {
            const keys = curve.keys;
            expect(keys[keys.length - 1].value).toBe(keys[0].value);
          }
        const [before, at, after] = [-e, 0, e].map((by) => places(shut, end + by));
        for (let i = 12; i < at.length; i += 16)
          for (let axis = 0; axis < 3; axis++) {
            const speeds = [at[i + axis] - before[i + axis], after[i + axis] - at[i + axis]].map(
              (d) => d / e,
            );
            expect(Math.abs(speeds[0] - speeds[1])).toBeLessThan(0.02 * (1 + Math.abs(speeds[0])) + 60 * e);
          }
      }),
      { numRuns: 60 },
    );
  });

  it('becomes keys that show the same over the range, closed or not, repeated or travelling', () => {
    fc.assert(
      fc.property(
        anyChannels,
        fc.constantFrom('repeat' as const, 'travel' as const),
        fc.constantFrom(1, -1, 0.5),
        fc.integer({ min: -7, max: 7 }),
        (channels, loop, speed, offset) => {
          const project = projectOf(channels, { time: { offset, speed, loop } });
          const written = finished(repeatsSteps(project, 'layer'));
          if (loopGap(project, layerOf(project)) === undefined) return;
          expect(layerOf(written).time?.loop ?? 'none').toBe('none');
          for (let frame = 0; frame <= 90; frame += 0.7) {
            // Where the loop jumps, keys need a ten-thousandth of a frame for it; a Bezier may stand upright too.
            const near = [-1e-3, 1e-3].map((by) => places(project, frame + by));
            if (farthest(near[0], near[1]) > 0.05) continue;
            expect(farthest(places(written, frame), places(project, frame))).toBeLessThan(1e-3);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it('with a prop and a target that travel: keys are seen where they were set, and so are the repeats', () => {
    const prop = { name: 'Cart', shape: 'box', size: [1, 1, 1], at: [0, 0, 2], turn: [0, 0, 0] } as const;
    const way = curveOf([0, 0], [10, 5]);
    const target = newTarget('Hips', { at: { tx: way, ty: 1, tz: 0 } });
    const time = { offset: 0, speed: 1, loop: 'travel' as const, cycle: [0, 10] as const };
    const scene = { ...sceneOf(rig), props: [prop] };
    const joined = rigOfScene(scene);
    const project: Project = {
      ...projectOf({}, { mode: 'override', time, content: keyed({ Cart: { tx: way } }) }, joined),
      parts: [...rig.joints.map(() => 'other'), 'Cart'],
      scene,
    };
    const keyedAt = keyPose(project, 'layer', 25, { Cart: { tx: 7 } });
    const cart = 3 * (joined.joints.length - 1);
    const pose = restPose(joined);
    evaluateStack(compileStack(keyedAt), 25, pose);
    expect(pose.translations[cart]).toBeCloseTo(7, 9);
    const both: Project = {
      ...project,
      layers: [project.layers[0], { ...layerOf(project), content: keyed({ Cart: { tx: way } }, [target]) }],
    };
    const written = finished(repeatsSteps(both, 'layer'));
    for (let frame = 0.35; frame <= 90; frame += 1.3)
      expect(farthest(places(written, frame), places(both, frame))).toBeLessThan(1e-3);
  });

  it('a breath of 15 frames up and 15 down is a loop of 30; its last frame is the first (common practice)', () => {
    const breath = curveOf([0, 0], [15, 4], [30, 0]);
    const project = makeLoop(projectOf({ Chest: { rx: breath } }), 'layer', {});
    expect(layerOf(project).time).toEqual({ offset: 0, speed: 1, loop: 'repeat', cycle: [0, 30] });
    expect(loopGap(project, layerOf(project))!.degrees).toBeLessThan(1e-3);
    for (const frame of [0, 7, 21.5])
      expect(farthest(places(project, frame), places(project, frame + 60))).toBeLessThan(1e-9);
  });
});

describe('overlap', () => {
  it('of 0 changes nothing; hips, chest and head follow each other by as many frames (common practice)', () => {
    fc.assert(
      fc.property(anyChannels, fc.double({ min: -5, max: 5, noNaN: true }), (channels, frames) => {
        const project = projectOf(channels);
        const joints = ['Hips', 'Chest', 'LeftArm'];
        expect(overlap(project, 'layer', { joints, frames: 0, growth: 1 })).toBe(project);
        const slid = layerOf(overlap(project, 'layer', { joints, frames, growth: 1 }));
        if (slid.content.kind !== 'curves') return;
        for (const [order, joint] of joints.entries())
          for (const [channel, curve] of Object.entries(channels[joint]))
            for (const frame of [-3, 4.3, 17])
              expect(
                curveAt(slid.content.channels[joint][channel as 'rx']!, frame + order * frames),
              ).toBeCloseTo(curveAt(curve, frame), 6);
      }),
      { numRuns: 60 },
    );
  });

  it('goes round a loop: each joint shows what it showed so many frames before, by as much less as asked', () => {
    const swing = curveOf([0, 0], [8, 12], [22, -9], [30, 0]);
    const looped = makeLoop(
      projectOf({ Hips: { rz: swing }, Chest: { rz: swing }, Head: { rz: swing } }),
      'layer',
      {},
    );
    const slid = overlap(looped, 'layer', { joints: ['Hips', 'Chest', 'Head'], frames: 3.5, growth: 0.5 });
    const angle = (project: Project, joint: string, frame: number) => {
      const pose = restPose(rig);
      evaluateStack(
        compileStack({ ...project, rig: plain, layers: [newLayer('Base', 'override'), layerOf(project)] }),
        frame,
        pose,
      );
      const q = pose.rotations.subarray(4 * plain.joints.findIndex(({ name }) => name === joint));
      return (2 * Math.atan2(q[2], q[3]) * 180) / Math.PI;
    };
    // Joints without a rotation at rest, so that the angle can be read.
    const plain = { joints: rig.joints.map((joint) => ({ ...joint, rotation: [0, 0, 0, 1] as const })) };
    for (const [order, joint] of ['Hips', 'Chest', 'Head'].entries())
      for (let frame = 0; frame < 60; frame += 1.3)
        expect(angle(slid, joint, frame + 3.5 * order)).toBeCloseTo(
          0.5 ** order * angle(looped, 'Hips', frame),
          6,
        );
    expect(downTheChain(looped, [4, 2, 0])).toEqual([0, 2, 4]);
  });
});

describe('motion on the other side', () => {
  it('goes to the partners, and mirrored twice is nothing', () => {
    fc.assert(
      fc.property(fc.constantFrom('joint' as const, 'world' as const), anyCurve, (axes, curve) => {
        // Angles as small as a layer's changes are, with one triple each.
        const small: Curve = {
          keys: curve.keys.map((key) => ({
            ...key,
            ease: 'smooth',
            value: key.value / 3,
            in: undefined,
            out: undefined,
          })),
        };
        const own = { rx: small, ry: small, rz: small, tx: small };
        const project = projectOf({ LeftArm: own, LeftHand: { rx: small, ry: small, rz: small } }, { axes });
        const once = mirrorMotion(project, 'layer', { shift: 0 });
        const content = layerOf(once).content;
        expect(content.kind === 'curves' && Object.keys(content.channels).sort()).toEqual([
          'RightArm',
          'RightHand',
        ]);
        const twice = layerOf(mirrorMotion(once, 'layer', { shift: 0 })).content;
        if (twice.kind !== 'curves') throw new Error('no curves');
        for (const { frame } of small.keys)
          for (const channel of ['rx', 'ry', 'rz', 'tx'] as const)
            expect(curveAt(twice.channels.LeftArm[channel]!, frame)).toBeCloseTo(curveAt(small, frame), 6);
      }),
      { numRuns: 40 },
    );
  });

  it('by half a cycle later in a loop it is the step of the other foot', () => {
    const swing = curveOf([0, 0], [10, 9], [30, 0]);
    const project = makeLoop(projectOf({ LeftArm: { tx: swing } }), 'layer', {});
    const shifted = layerOf(mirrorMotion(project, 'layer', { shift: 15 }));
    if (shifted.content.kind !== 'curves') throw new Error('no curves');
    const curves = Object.values(shifted.content.channels.RightArm);
    const length = (frame: number) => Math.hypot(...curves.map((curve) => curveAt(curve, frame)));
    expect(length(25)).toBeCloseTo(9, 6);
    expect(length(15)).toBeCloseTo(0, 6);
    expect(shifted.time!.cycle).toEqual([0, 30]);
  });
});

describe('a range retimed', () => {
  it('by a factor and by its inverse is nothing; half the time halves a cycle (common practice)', () => {
    fc.assert(
      fc.property(
        anyChannels,
        fc.constantFrom(0.5, 2, 1.5),
        fc.double({ min: -3, max: 20, noNaN: true }),
        fc.double({ min: 1, max: 40, noNaN: true }),
        (channels, factor, a, length) => {
          const span = { start: 5, end: 60, fadeIn: 6, fadeOut: 8 };
          const project = projectOf(channels, { span });
          const there = retime(project, { range: [a, a + length], factor }).project;
          const back = retime(there, { range: [a, a + length * factor], factor: 1 / factor }).project;
          curvesAlike(layerOf(back), layerOf(project));
          expect(back.range[1]).toBeCloseTo(90, 9);
          for (const name of ['start', 'end', 'fadeIn', 'fadeOut'] as const)
            expect(layerOf(back).span![name]).toBeCloseTo(span[name], 9);
        },
      ),
      { numRuns: 60 },
    );
    const glance = curveOf([0, 0], [15, 40], [27, 0]);
    const quick = retime(projectOf({ Head: { ry: glance } }), { range: [0, 27], factor: 0.5 });
    expect(quick.project.range).toEqual([0, 76.5]);
    expect(layerOf(quick.project).content).toMatchObject({
      channels: { Head: { ry: { keys: [{ frame: 0 }, { frame: 7.5 }, { frame: 13.5 }] } } },
    });
  });

  it('a loop follows as a whole or stays and is named', () => {
    const project = makeLoop(projectOf({ Chest: { rx: curveOf([0, 0], [10, 3], [20, 0]) } }), 'layer', {});
    const whole = retime(project, { range: [0, 90], factor: 2 });
    expect(whole.stayed).toEqual([]);
    expect(farthest(places(whole.project, 26), places(project, 13))).toBeLessThan(1e-9);
    const part = retime(project, { range: [10, 20], factor: 2, layers: ['layer'] });
    expect(part.stayed).toEqual(['Layer']);
    expect(layerOf(part.project)).toEqual(layerOf(project));
  });
});

it('blocking sets holds, and one command makes them smooth', () => {
  const blocked = setLayerEase(projectOf({}), 'layer', 'hold');
  const posed = [0, 12, 30].reduce(
    (current, frame) => keyPose(current, 'layer', frame, { Chest: { rx: frame } }),
    blocked,
  );
  const eases = (project: Project) => {
    const { content } = layerOf(project);
    return content.kind === 'curves' ? content.channels.Chest.rx!.keys.map(({ ease }) => ease) : [];
  };
  expect(eases(posed)).toEqual(['hold', 'hold', 'hold']);
  expect(eases(smoothHolds(posed, ['layer']))).toEqual(['smooth', 'smooth', 'smooth']);
});
