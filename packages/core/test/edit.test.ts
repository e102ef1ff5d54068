import { describe, expect, it } from 'vitest';
import {
  addLayer,
  angleBetween,
  type Curve,
  compileStack,
  deleteLayer,
  deleteLayerKeys,
  deleteWeightKeys,
  drawWeight,
  duplicateLayer,
  evaluateStack,
  extendSpan,
  keyFrames,
  keyPose,
  keyWeight,
  type Layer,
  layerById,
  moveLayer,
  moveLayerKeys,
  moveWeightKey,
  type Project,
  poseRefusal,
  projectFromTake,
  readTake,
  restPose,
  scaleWeight,
  setLayer,
  setMode,
  setWeight,
  weightAt,
  withTrial,
} from '../src/index.js';
import { captureBytes } from './capture.js';

const capture = projectFromTake(readTake('01_01.bvh', captureBytes()).take);
const base = capture.layers[0].id;
const jointOf = (name: string) => capture.rig.joints.findIndex((joint) => joint.name === name);

const withLayer = (mode: Layer['mode'], joints: number[] = [], frame = 100) =>
  addLayer(capture, { mode, above: base, joints, frame });

const poseAt = (project: Project, frame: number) => {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return pose;
};

describe('layers', () => {
  it('a new one changes nothing at its frame, and an override layer lets go again on both sides', () => {
    for (const mode of ['additive', 'override'] as const) {
      const { project } = withLayer(mode);
      for (const frame of [0, 40, 100, 170, 2751]) {
        const before = poseAt(capture, frame);
        const after = poseAt(project, frame);
        for (let i = 0; i < before.rotations.length; i += 4) {
          expect(angleBetween(before.rotations, i, after.rotations, i)).toBeLessThan(1e-6);
        }
      }
    }
  });

  it('a new one is limited to the picked joints, lands above the given one, and has a colour and a name of its own', () => {
    const { project, id } = withLayer('override', [jointOf('Head')]);
    const again = addLayer(project, { mode: 'additive', above: base, joints: [], frame: 0 });
    expect(Object.keys(layerById(project, id)!.channels)).toEqual(['Head']);
    expect(again.project.layers.map((layer) => layer.id)).toEqual([base, again.id, id]);
    expect(new Set(again.project.layers.map((layer) => layer.color)).size).toBe(3);
    expect(new Set(again.project.layers.map((layer) => layer.name)).size).toBe(3);
  });

  it('the copy of an additive layer starts muted, of an override layer live, with keys of its own', () => {
    for (const mode of ['additive', 'override'] as const) {
      const { project, id } = withLayer(mode);
      const keyed = keyPose(project, id, 110, { Head: { rx: 20 } });
      const copied = duplicateLayer(keyed, id);
      const copy = layerById(copied.project, copied.id)!;
      expect(copy.muted).toBe(mode === 'additive');
      expect(copy.channels['Head']?.rx?.keys[0].id).not.toBe(
        layerById(keyed, id)!.channels['Head']?.rx?.keys[0].id,
      );
      expect(poseAt(copied.project, 100)).toEqual(poseAt(keyed, 100));
    }
  });

  it('the base is neither moved, deleted nor made additive', () => {
    const { project, id } = withLayer('additive');
    expect(moveLayer(project, id, -1)).toBe(project);
    expect(moveLayer(project, base, 1)).toBe(project);
    expect(deleteLayer(project, base)).toBe(project);
    expect(setMode(project, base, 'additive')).toBe(project);
    expect(deleteLayer(project, id).layers).toEqual(capture.layers);
  });
});

describe('weights', () => {
  const { project, id } = withLayer('additive');
  const of = { layer: id };
  const layer = (p: Project) => layerById(p, id)!;

  it('without keys changes everywhere, with keys at the frame; scaling moves the whole curve', () => {
    const set = setWeight(project, of, 50, 0.5);
    expect(layer(set).weight).toBe(0.5);
    const keyed = setWeight(keyWeight(set, of, 50), of, 90, 1);
    expect(weightAt(layer(keyed), 50)).toBe(0.5);
    expect(weightAt(layer(keyed), 90)).toBe(1);
    const scaled = scaleWeight(keyed, of, 90, 0.5);
    expect(weightAt(layer(scaled), 50)).toBe(0.25);
    expect(weightAt(layer(scaled), 90)).toBe(0.5);
  });

  it('is held within 0 to 2 on an additive layer, 0 to 1 on an override layer and on parts', () => {
    expect(weightAt(layer(setWeight(project, of, 0, 7)), 0)).toBe(2);
    expect(weightAt(layer(setMode(setWeight(project, of, 0, 7), id, 'override')), 0)).toBe(1);
    expect(weightAt(layer(setWeight(project, { ...of, part: 'head' }, 0, 7)), 0, 'head')).toBe(1);
  });

  it('the first weight of a part writes 1 for all other parts', () => {
    const weighed = layer(setWeight(project, { ...of, part: 'rightArm' }, 0, 0.25));
    expect(weighed.mask?.['rightArm']).toBe(0.25);
    expect(new Set(Object.values(weighed.mask!))).toEqual(new Set([1, 0.25]));
    expect(Object.keys(weighed.mask!).sort()).toEqual([...new Set(capture.parts)].sort());
  });

  it('drawing replaces the keys it passes; moving keeps order; deleting the last leaves its value', () => {
    const drawn = drawWeight(keyWeight(keyWeight(project, of, 10, 1), of, 200, 1), of, [
      [50, 0.2],
      [30, 0.8],
    ]);
    const keys = (p: Project) => (layer(p).weight as Curve).keys;
    expect(keys(drawn).map((key) => key.frame)).toEqual([10, 30, 50, 200]);
    const moved = moveWeightKey(drawn, of, keys(drawn)[1].id, 50, 0.4);
    expect(keys(moved).map((key) => key.frame)).toEqual([10, 50, 200]);
    expect(weightAt(layer(moved), 50)).toBe(0.4);
    expect(
      layer(
        deleteWeightKeys(
          moved,
          of,
          keys(moved).map((key) => key.id),
        ),
      ).weight,
    ).toBe(1);
  });
});

describe('keys', () => {
  const { project, id } = withLayer('additive');
  const keyed = keyPose(keyPose(project, id, 10, { Head: { rx: 5 } }), id, 20, { Head: { rx: 15, ry: 3 } });
  const frames = (p: Project) => keyFrames(layerById(p, id)!);

  it('move and go together with all channels on their frame', () => {
    expect(frames(moveLayerKeys(keyed, id, [20], 12))).toEqual([10, 32]);
    expect(frames(moveLayerKeys(keyed, id, [10], 10))).toEqual([20]);
    expect(frames(deleteLayerKeys(keyed, id, [10]))).toEqual([20]);
    expect(layerById(deleteLayerKeys(keyed, id, [10, 20]), id)!.channels).toEqual({});
  });

  it('a locked layer takes none', () => {
    const locked = setLayer(keyed, id, { locked: true });
    expect(keyPose(locked, id, 50, { Head: { rx: 1 } })).toBe(locked);
    expect(deleteLayerKeys(locked, id, [10])).toBe(locked);
  });

  it('a tried pose shows at every frame and is not in the project', () => {
    const tried = withTrial(keyed, { layer: id, values: { Head: { rx: 40 } } });
    const direct = keyPose(deleteLayerKeys(keyed, id, [10]), id, 20, { Head: { rx: 40, ry: 3 } });
    expect(poseAt(tried, 20)).toEqual(poseAt(direct, 20));
    expect(frames(keyed)).toEqual([10, 20]);
  });
});

describe('a pose that is refused', () => {
  it('says why, and the remedy removes the reason', () => {
    const { project, id } = withLayer('override', [jointOf('Head')]);
    const head = jointOf('Head');
    const refusal = (p: Project, frame: number, j = head) => poseRefusal(p, compileStack(p), 1, j, frame);
    expect(refusal(project, 100)).toBeUndefined();
    for (const [broken, frame, reason, j] of [
      [setLayer(project, id, { muted: true }), 100, /muted/, head],
      [project, 300, /outside the span/, head],
      [setWeight(project, { layer: id }, 0, 0), 100, /weighs nothing/, head],
      [keyWeight(project, { layer: id }, 100, 0), 100, /weighs nothing/, head],
      [setWeight(project, { layer: id, part: 'head' }, 0, 0), 100, /mask/, head],
      [
        setLayer(addLayer(project, { mode: 'additive', above: id, joints: [], frame: 0 }).project, base, {
          solo: true,
        }),
        100,
        /solo/,
        head,
      ],
      [project, 100, /limited/, jointOf('Spine')],
    ] as const) {
      const why = refusal(broken, frame, j)!;
      expect(why.reason).toMatch(reason);
      expect(refusal(why.apply(broken), frame, j)).toBeUndefined();
    }
    expect(extendSpan(project, id, 300).layers[1].span!.end).toBeGreaterThan(300);
  });
});
