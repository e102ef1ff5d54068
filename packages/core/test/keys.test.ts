import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { curveAt, EASES } from '../src/curve/index.js';
import {
  allowJoints,
  changesTo,
  contactFrames,
  copyPicked,
  cycleFrames,
  framesOfPicked,
  insertFrames,
  keyAround,
  keyPose,
  limitToJoints,
  mirroredChanges,
  movePicked,
  pasteKeys,
  refuseJoints,
  reversePicked,
  scalePicked,
  setSpan,
  setTime,
  snapPicked,
  touchUp,
  valuesBetween,
  valuesOfBelow,
  valuesOfKeyBefore,
  valuesTowards,
} from '../src/edit/index.js';
import {
  type Curve,
  channelAddresses,
  channelsOf,
  compileStack,
  curveAtAddress,
  evaluateStack,
  type KeyPick,
  keyed,
  keyFrames,
  layerById,
  NOTHING_KEPT,
  newKey,
  newLayer,
  type Project,
  playing,
  restPose,
  sceneOf,
  type Take,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { findParts, memberCount, mirrorTransforms } from '../src/rig/index.js';

const LAYER = 'nod';

/** Wick at rest with one additive layer above it. */
function wick(
  channels: Parameters<typeof keyed>[0],
  more: Partial<Parameters<typeof newLayer>[2]> = {},
): Project {
  return {
    name: 'wick',
    fps: 30,
    range: [0, 120],
    metresPerUnit: 1,
    scene: sceneOf(WICK),
    rig: WICK,
    parts: findParts(WICK),
    takes: [],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [
      newLayer('Base', 'override', { id: 'base' }),
      newLayer('Nod', 'additive', { id: LAYER, content: keyed(channels), ...more }),
    ],
  };
}
const curveOf = (...keys: [number, number][]): Curve => ({ keys: keys.map(([f, v]) => newKey(f, v)) });
const headOf = (project: Project) => channelsOf(layerById(project, LAYER)!).Head?.rx;
const picksOf = (project: Project): KeyPick[] => {
  const layer = layerById(project, LAYER)!;
  return channelAddresses(layer).map((address) => ({
    address,
    keys: curveAtAddress(layer, address)!.keys.map(({ id }) => id),
  }));
};
const plain = (curve: Curve | undefined) => curve?.keys.map(({ id: _, ...key }) => key);

const handle = fc.tuple(fc.integer({ min: 0, max: 4 }), fc.integer({ min: -9, max: 9 }));
const drawnCurve: fc.Arbitrary<Curve> = fc
  .uniqueArray(fc.integer({ min: 0, max: 60 }), { minLength: 2, maxLength: 8 })
  .chain((frames) =>
    fc.tuple(
      ...[...frames]
        .sort((a, b) => a - b)
        .map((frame) =>
          fc.record({
            id: fc.uuid(),
            frame: fc.constant(frame),
            value: fc.integer({ min: -90, max: 90 }),
            ease: fc.constantFrom(...EASES),
            out: handle,
            in: handle.map(([f, v]) => [-f, v] as const),
          }),
        ),
    ),
  )
  .map((keys) => ({ keys }));

describe('picked keys', () => {
  it('reversed twice are what they were; once the curve between them is the same, mirrored', () => {
    fc.assert(
      fc.property(drawnCurve, (curve) => {
        const project = wick({ Head: { rx: curve } });
        const back = reversePicked(project, picksOf(project));
        const again = headOf(reversePicked(back, picksOf(back)))!;
        const [first, last] = framesOfPicked(project, picksOf(project))!;
        expect(plain(again)).toEqual(plain(curve));
        // What is held is held from its other end.
        if (curve.keys.some(({ ease }) => ease === 'hold')) return;
        for (let frame = first; frame <= last; frame += 0.7)
          expect(curveAt(headOf(back)!, first + last - frame)).toBeCloseTo(curveAt(curve, frame), 4);
      }),
      { numRuns: 60 },
    );
  });

  it('scaled about a frame keep what stands there, and by a half take half the time (common practice)', () => {
    fc.assert(
      fc.property(
        drawnCurve,
        fc.double({ min: 0.1, max: 4, noNaN: true }),
        fc.integer({ min: 0, max: 60 }),
        (curve, factor, about) => {
          const project = wick({ Head: { rx: curve } });
          const scaled = headOf(scalePicked(project, picksOf(project), factor, about))!;
          expect(curveAt(scaled, about)).toBeCloseTo(curveAt(curve, about), 6);
          expect(scaled.keys.map(({ frame }) => frame)).toEqual(
            curve.keys.map(({ frame }) => expect.closeTo(about + (frame - about) * factor, 9)),
          );
          for (const frame of [3.3, 17, 41.9])
            expect(curveAt(scaled, about + (frame - about) * factor)).toBeCloseTo(curveAt(curve, frame), 6);
        },
      ),
      { numRuns: 60 },
    );
    const cycle = wick({ Head: { rx: curveOf([0, 0], [15, 8], [30, 0]) } });
    const half = scalePicked(cycle, picksOf(cycle), 0.5, 0);
    expect(keyFrames(layerById(half, LAYER)!)).toEqual([0, 7.5, 15]);
    expect(keyFrames(layerById(snapPicked(half, picksOf(half)), LAYER)!)).toEqual([0, 8, 15]);
  });

  it('copied and pasted are the same curve, on keep their distances exactly, and copies dragged away stay behind', () => {
    fc.assert(
      fc.property(drawnCurve, fc.integer({ min: 70, max: 500 }), (curve, at) => {
        const project = wick({ Head: { rx: curve } });
        const copied = copyPicked(project, picksOf(project));
        const [start] = curve.keys;
        const pasted = headOf(pasteKeys(project, copied, at).project)!.keys.slice(curve.keys.length);
        const moved = plain({ keys: pasted })!.map((key) => ({
          ...key,
          frame: key.frame - at + start.frame,
        }));
        expect(moved).toEqual(plain(curve));
        const both = headOf(movePicked(project, picksOf(project), { by: at, copies: true }))!;
        expect(plain({ keys: both.keys.slice(0, curve.keys.length) })).toEqual(plain(curve));
        expect(new Set(both.keys.map(({ id }) => id)).size).toBe(2 * curve.keys.length);
      }),
      { numRuns: 30 },
    );
  });
});

describe('frames inserted and removed', () => {
  it('move all that comes later, and taken out again leave everything as it was', () => {
    const before = setSpan(
      wick({ Head: { rx: curveOf([10, 1], [20, 2], [40, 3]) } }, { weight: curveOf([15, 1], [30, 0.5]) }),
      LAYER,
      { start: 5, end: 50, fadeIn: 3, fadeOut: 4 },
    );
    const longer = insertFrames(before, 20, 7).project;
    const layer = layerById(longer, LAYER)!;
    expect(keyFrames(layer)).toEqual([10, 27, 47]);
    expect([layer.span, longer.range]).toEqual([{ start: 5, end: 57, fadeIn: 3, fadeOut: 4 }, [0, 127]]);
    expect((layer.weight as Curve).keys.map(({ frame }) => frame)).toEqual([15, 37]);
    expect(insertFrames(longer, 20, -7).project).toEqual(before);
    // What stood on removed frames is gone; of one layer alone nothing else moves.
    const shorter = insertFrames(before, 15, -10, LAYER).project;
    expect([keyFrames(layerById(shorter, LAYER)!), shorter.range]).toEqual([
      [10, 30],
      [0, 120],
    ]);
  });

  it('a take cannot be cut open: it moves as a whole or stays, and that is said', () => {
    const take = { id: 't', name: 't', interval: 1 / 30, count: 60 } as unknown as Take;
    const base: Project = {
      ...wick({}),
      takes: [take],
      layers: [newLayer('Base', 'override', { content: playing('t') })],
    };
    expect(insertFrames(base, 10, 5).stayed).toEqual(['Base']);
    const moved = insertFrames(base, 0, 5);
    expect([moved.stayed, moved.project.layers[0].time?.offset]).toEqual([[], 5]);
  });
});

describe('values of a pose', () => {
  const keys = { Head: { rx: curveOf([10, 4], [30, 12]), ry: curveOf([10, 3]) } };

  it('between the key before and after, past both, at the key before, and on the way to nothing', () => {
    const project = wick(keys);
    expect(valuesBetween(project, LAYER, 20, 0.25)).toEqual({ Head: { rx: 6, ry: 3 } });
    expect(valuesBetween(project, LAYER, 20, 1.5).Head?.rx).toBe(16);
    expect(valuesBetween(project, LAYER, 10, 1).Head?.rx).toBe(12);
    expect(valuesOfKeyBefore(project, LAYER, 29)).toEqual({ Head: { rx: 4, ry: 3 } });
    const held = keyPose(project, LAYER, 24, valuesOfKeyBefore(project, LAYER, 24));
    expect(curveAt(headOf(held)!, 17)).toBe(4);
    const nothing = valuesOfBelow(compileStack(project), 1, 20, [
      WICK.joints.findIndex((j) => j.name === 'Head'),
    ]);
    expect(nothing).toEqual({ Head: { rx: 0, ry: 0 } });
    expect(valuesTowards(valuesOfKeyBefore(project, LAYER, 29), nothing, 0.5)).toEqual({
      Head: { rx: 2, ry: 1.5 },
    });
  });

  it('of an override layer what is below is seen; after the key that returns an additive change is 0', () => {
    const project = wick(keys);
    const above: Project = {
      ...project,
      layers: [...project.layers, newLayer('Over', 'override', { id: 'over' })],
    };
    const all = WICK.joints.map((_, j) => j);
    const values = valuesOfBelow(compileStack(above), 2, 20, all);
    const covered = keyPose(above, 'over', 20, values);
    const [a, b] = [project, covered].map((one) => {
      const pose = restPose(WICK);
      evaluateStack(compileStack(one), 20, pose);
      return pose;
    });
    for (const j of all) expect(angleBetween(a.rotations, 4 * j, b.rotations, 4 * j)).toBeLessThan(1e-6);
    const once = wick({ Head: { rx: curveOf([40, 9]), sx: curveOf([40, 2]) } });
    const around = keyAround(once, LAYER, 40, 6);
    expect(keyFrames(layerById(around, LAYER)!)).toEqual([34, 40, 46]);
    expect([34, 40, 46, 90].map((frame) => curveAt(headOf(around)!, frame))).toEqual([0, 9, 0, 0]);
    expect(curveAt(channelsOf(layerById(around, LAYER)!).Head!.sx!, 46)).toBe(1);
  });
});

describe('a touch-up', () => {
  it('is there in full at its frame, gone at its ends, and carries along what is between', () => {
    const project = wick({ Head: { rx: curveOf([0, 5], [38, 7], [100, 5]) } });
    const changes = changesTo(project, LAYER, 40, { Head: { rx: 20 }, Neck: { ry: -3 } });
    const done = touchUp(project, { layer: LAYER, frame: 40, before: 8, after: 12, changes });
    const [was, is] = [headOf(project)!, headOf(done)!];
    expect(curveAt(is, 40)).toBeCloseTo(20, 9);
    for (const frame of [0, 32, 52, 100]) expect(curveAt(is, frame)).toBeCloseTo(curveAt(was, frame), 9);
    expect(curveAt(is, 38)).toBeGreaterThan(curveAt(was, 38) + 10);
    const neck = channelsOf(layerById(done, LAYER)!).Neck!.ry!;
    expect(plain(neck)!.map(({ frame, value }) => [frame, value])).toEqual([
      [32, 0],
      [40, -3],
      [52, 0],
    ]);
    // A glance: there in 8, held for 10, back in 12, in a layer that plays backwards too.
    const held = touchUp(project, { layer: LAYER, frame: 40, before: 8, hold: 10, after: 12, changes });
    const there = channelsOf(layerById(held, LAYER)!).Neck!.ry!;
    expect([32, 36, 40, 45, 50, 56, 62].map((frame) => Number(curveAt(there, frame).toFixed(9)))).toEqual([
      0, -1.5, -3, -3, -3, -1.5, 0,
    ]);
    const turned = setTime(project, LAYER, { offset: 90, speed: -1 });
    const back = touchUp(turned, { layer: LAYER, frame: 40, before: 8, hold: 10, after: 12, changes });
    const own = channelsOf(layerById(back, LAYER)!).Neck!.ry!;
    expect([32, 40, 50, 62].map((frame) => Number(curveAt(own, 90 - frame).toFixed(9)))).toEqual([
      0, -3, -3, 0,
    ]);
  });

  const stepping = (): Project => {
    const spans = [
      ['LeftFoot', 10, 30],
      ['RightFoot', 25, 45],
      ['LeftFoot', 40, 60],
      ['RightFoot', 55, 75],
      ['LeftFoot', 70, 90],
    ] as const;
    const contacts = {
      limits: { height: 1, speed: 1 },
      joints: ['LeftFoot', 'RightFoot'],
      spans: spans.map(([joint, from, to]) => ({ joint, from, to })),
    };
    const take = { id: 't', name: 't', interval: 1 / 30, count: 121, contacts } as unknown as Take;
    const project = wick({});
    return {
      ...project,
      takes: [take],
      layers: [newLayer('Base', 'override', { content: playing('t') }), project.layers[1]],
    };
  };

  it('is repeated at the contacts of its foot, mirrored at those of the other, or every so many frames', () => {
    const project = stepping();
    const of = (joint: string) => ({
      layer: LAYER,
      frame: 14,
      before: 3,
      after: 3,
      changes: { [joint]: { rx: 4 } },
    });
    expect(contactFrames(project, of('LeftLowerLeg'), false)).toEqual([44, 74]);
    expect(contactFrames(project, of('LeftLowerLeg'), true)).toEqual([29, 59]);
    // Of a joint above both legs the foot counts that came down last.
    expect(contactFrames(project, of('Chest'), false)).toEqual([44, 74]);
    expect(cycleFrames(project, 14, 30)).toEqual([44, 74, 104]);
    expect(cycleFrames(project, 74, 30)).toEqual([14, 44, 104]);
  });

  it.each(['joint', 'world'] as const)('mirrored in %s axes shows the mirrored pose', (axes) => {
    const changes = { LeftUpperArm: { rx: 20, ry: -10, rz: 35 }, Spine: { rx: 5, ry: 12, rz: -4 } };
    const poseOf = (values: typeof changes | ReturnType<typeof mirroredChanges>) => {
      const project = keyPose(wick({}, { axes }), LAYER, 0, values);
      const pose = restPose(WICK);
      evaluateStack(compileStack(project), 0, pose);
      return pose;
    };
    const project = wick({}, { axes });
    const shown = poseOf(mirroredChanges(project, layerById(project, LAYER)!, changes));
    const pose = poseOf(changes);
    const wanted = mirrorTransforms(
      WICK,
      new Map(WICK.joints.map((_, j) => [j, { rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)] }])),
    );
    for (const [j, { rotation }] of wanted)
      expect(angleBetween(shown.rotations, 4 * j, [...rotation!], 0)).toBeLessThan(1e-6);
  });
});

describe('what a layer may key', () => {
  it('a hand comes with its whole arm; taken away, what hung with it stays', () => {
    const allows = (project: Project) => Object.keys(layerById(project, LAYER)!.allows ?? {}).sort();
    const arm = limitToJoints(wick({}), LAYER, ['LeftHand']);
    expect(allows(arm)).toEqual(['LeftForearm', 'LeftHand', 'LeftUpperArm']);
    expect(allows(allowJoints(arm, LAYER, ['Head'])).includes('Head')).toBe(true);
    expect(allows(refuseJoints(arm, LAYER, ['LeftHand']))).toEqual(['LeftForearm', 'LeftUpperArm']);
    expect(allows(refuseJoints(wick({}), LAYER, ['Head']))).toHaveLength(memberCount(WICK) - 1);
  });
});
