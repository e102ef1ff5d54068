import { describe, expect, it } from 'vitest';
import {
  addLayer,
  clearMask,
  copyPicked,
  curvesOf,
  deleteLayers,
  deletePicked,
  drawValue,
  duplicateLayer,
  extendSpan,
  keyPose,
  keysBeside,
  keyValue,
  moveLayers,
  movePicked,
  pasteKeys,
  poseRefusal,
  projectFromTake,
  scaleValue,
  setFollows,
  setLayer,
  setMode,
  setSpan,
  setTime,
  setValue,
  valueAt,
  withTrial,
} from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  addressesOf,
  addressKey,
  addressLabel,
  type Channels,
  type CurveAddress,
  channelAddresses,
  channelsOf,
  compileStack,
  curveAtAddress,
  evaluateStack,
  type KeyPick,
  keyed,
  keyFrames,
  keysOn,
  type Layer,
  layerById,
  newKey,
  type Project,
  restPose,
  scalarAtAddress,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { solveChannels } from '../src/solve/index.js';
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
    expect(Object.keys(channelsOf(layerById(project, id)!))).toEqual(['Head']);
    expect(again.project.layers.map((layer) => layer.id)).toEqual([base, again.id, id]);
    expect(new Set(again.project.layers.map((layer) => layer.color)).size).toBe(3);
    expect(new Set(again.project.layers.map((layer) => layer.name)).size).toBe(3);
  });

  it('the copy of an additive layer starts muted, of an override layer live, with keys of its own', () => {
    for (const mode of ['additive', 'override'] as const) {
      const { project, id } = withLayer(mode);
      const keyedAt = keyPose(project, id, 110, { Head: { rx: 20 } });
      const copied = duplicateLayer(keyedAt, id);
      const copy = layerById(copied.project, copied.id)!;
      expect(copy.muted).toBe(mode === 'additive');
      expect(channelsOf(copy)['Head']?.rx?.keys[0].id).not.toBe(
        channelsOf(layerById(keyedAt, id)!)['Head']?.rx?.keys[0].id,
      );
      expect(poseAt(copied.project, 100)).toEqual(poseAt(keyedAt, 100));
    }
  });

  it('the base is neither moved, deleted nor made additive', () => {
    const { project, id } = withLayer('additive');
    expect(moveLayers(project, [id], -1)).toBe(project);
    expect(moveLayers(project, [base], 1)).toBe(project);
    expect(deleteLayers(project, [base])).toBe(project);
    expect(setMode(project, base, 'additive')).toBe(project);
    expect(deleteLayers(project, [id]).layers).toEqual(capture.layers);
  });
});

describe('values at addresses', () => {
  const { project, id } = withLayer('additive');
  const of: CurveAddress = { kind: 'weight', layer: id };
  const ofPart = (part: string): CurveAddress => ({ kind: 'part', layer: id, part });
  const layer = (p: Project) => layerById(p, id)!;
  const keysOf = (p: Project, address: CurveAddress = of) => curveAtAddress(layer(p), address)!.keys;
  const pick = (p: Project, address: CurveAddress, ...at: number[]): KeyPick[] =>
    keysOn(layer(p), [address], (frame) => at.includes(frame));

  it('without keys changes everywhere, with keys at the frame; scaling moves the whole curve', () => {
    const set = setValue(project, of, 50, 0.5);
    expect(layer(set).weight).toBe(0.5);
    const keyed = setValue(keyValue(set, of, 50), of, 90, 1);
    expect(valueAt(keyed, of, 50)).toBe(0.5);
    expect(valueAt(keyed, of, 90)).toBe(1);
    const scaled = scaleValue(keyed, of, 90, 0.5);
    expect(valueAt(scaled, of, 50)).toBe(0.25);
    expect(valueAt(scaled, of, 90)).toBe(0.5);
  });

  it('scaled through 0 in one drag come back as they were', () => {
    const keyed = setValue(keyValue(setValue(project, of, 50, 0.5), of, 50), of, 90, 1);
    const from = layer(keyed).weight;
    const dragged = [0.6, 0, 0.3, 1].reduce((p, value) => scaleValue(p, of, 90, value, from), keyed);
    expect(keysOf(dragged).map(({ value }) => value)).toEqual([0.5, 1]);
  });

  it('are held within 0 to 2 on an additive layer, 0 to 1 on an override layer, on parts and on joints', () => {
    expect(valueAt(setValue(project, of, 0, 7), of, 0)).toBe(2);
    expect(valueAt(setMode(setValue(project, of, 0, 7), id, 'override'), of, 0)).toBe(1);
    for (const address of [ofPart('head'), { kind: 'joint', layer: id, joint: 'Head' } as const])
      expect(valueAt(setValue(project, address, 0, 7), address, 0)).toBe(1);
  });

  it('the first weight of a part writes 1 for all other parts', () => {
    const weighed = layer(setValue(project, ofPart('rightArm'), 0, 0.25));
    expect(weighed.mask?.['rightArm']).toBe(0.25);
    expect(new Set(Object.values(weighed.mask!))).toEqual(new Set([1, 0.25]));
    expect(Object.keys(weighed.mask!).sort()).toEqual([...new Set(capture.parts)].sort());
  });

  it('drawing replaces the keys it passes; a key that lands on another takes it over until it moves on', () => {
    const drawn = drawValue(keyValue(keyValue(project, of, 10, 1), of, 200, 1), of, [
      [50, 0.2],
      [30, 0.8],
    ]);
    expect(keysOf(drawn).map(({ frame }) => frame)).toEqual([10, 30, 50, 200]);
    const picks = pick(drawn, of, 30);
    const before = curvesOf(drawn, picks);
    const moved = movePicked(drawn, picks, { by: 20, value: -0.4, before });
    expect(keysOf(moved).map(({ frame, value }) => [frame, value])).toEqual([
      [10, 1],
      [50, expect.closeTo(0.4)],
      [200, 1],
    ]);
    const on = movePicked(moved, picks, { by: 60, before });
    expect(keysOf(on).map(({ frame }) => frame)).toEqual([10, 50, 90, 200]);
    expect(layer(deletePicked(on, pick(on, of, 10, 50, 90, 200))).weight).toBe(1);
  });

  it('drawn by a hand become few keys, which pass no further than a fiftieth from it', () => {
    const points = Array.from(
      { length: 120 },
      (_, k) => [20 + k, 0.5 + 0.4 * Math.sin(k / 19) ** 3] as const,
    );
    const drawn = drawValue(project, of, points);
    expect(keysOf(drawn).length).toBeLessThan(20);
    for (const [frame, value] of points)
      expect(Math.abs(valueAt(drawn, of, frame) - value)).toBeLessThan(0.021);
  });

  it('beside a frame are the one on it, or the two around it, or the nearest at an end', () => {
    const keyed = [10, 20, 40].reduce((current, frame) => keyValue(current, of, frame, 0.5), project);
    const beside = (frame: number, reach = 0) =>
      keysBeside(keyed, of, frame, reach).flatMap(({ keys }) =>
        keys.map((id) => keysOf(keyed).find((key) => key.id === id)!.frame),
      );
    expect([beside(20), beside(25), beside(18.5, 2), beside(5), beside(90)]).toEqual([
      [20],
      [20, 40],
      [20],
      [10],
      [40],
    ]);
    expect(keysBeside(project, of, 5)).toEqual([]);
  });

  it('copied are pasted at a frame, as far from each other as they were, onto any layer', () => {
    const keyed = [10, 20, 40].reduce((current, frame) => keyValue(current, of, frame, frame / 100), project);
    const copied = copyPicked(keyed, pick(keyed, of, 20, 40));
    const { project: pasted, picks } = pasteKeys(keyed, copied, 40);
    expect(keysOf(pasted).map(({ frame, value }) => [frame, value])).toEqual([
      [10, 0.1],
      [20, 0.2],
      [40, 0.2],
      [60, 0.4],
    ]);
    expect(picks.flatMap(({ keys }) => keys)).toEqual(
      keysOf(pasted)
        .slice(2)
        .map(({ id }) => id),
    );
    expect(new Set(keysOf(pasted).map(({ id }) => id)).size).toBe(4);
    const { project: two, id: other } = addLayer(keyed, {
      mode: 'additive',
      above: id,
      joints: [],
      frame: 0,
    });
    const elsewhere = pasteKeys(two, copied, 0, other).project;
    expect(layerById(elsewhere, other)!.weight).toMatchObject({
      keys: [
        { frame: 0, value: 0.2 },
        { frame: 20, value: 0.4 },
      ],
    });
  });

  it('of every kind are listed, keyed, moved and deleted in the same way, each on its own', () => {
    const { project: held, id: own } = withLayer('override');
    const whole = { ...held, layers: held.layers.map((one) => (one.id === own ? { ...one, id } : one)) };
    const all: CurveAddress[] = [
      of,
      ofPart('rightArm'),
      { kind: 'joint', layer: id, joint: 'Head' },
      { kind: 'placement', layer: id, channel: 'tx' },
      { kind: 'channel', layer: id, joint: 'Head', channel: 'rx' },
    ];
    for (const address of all) {
      const keyed = keyValue(keyValue(whole, address, 100, 0.5), address, 120, 0.25);
      const listed = addressesOf(layer(keyed), capture.parts).map(addressKey);
      expect(listed).toContain(addressKey(address));
      expect(new Set(listed).size).toBe(listed.length);
      expect(new Set(addressesOf(layer(keyed), capture.parts).map(addressLabel)).size).toBe(listed.length);
      const moved = movePicked(keyed, pick(keyed, address, 120), { by: 5 });
      expect(keysOf(moved, address).map(({ frame }) => frame)).toEqual([100, 125]);
      // Nothing else has moved.
      for (const other of addressesOf(layer(whole), capture.parts).filter(
        (one) => addressKey(one) !== addressKey(address),
      ))
        expect(scalarAtAddress(layer(moved), other)).toEqual(scalarAtAddress(layer(keyed), other));
      const gone = deletePicked(moved, pick(moved, address, 125));
      expect(valueAt(gone, address, 125)).toBe(0.5);
    }
  });

  it('of channels stand in the layer’s own time, whichever way it runs', () => {
    const back = setTime(keyPose(project, id, 10, { Head: { rx: 5 } }), id, { offset: 100, speed: -2 });
    const address: CurveAddress = { kind: 'channel', layer: id, joint: 'Head', channel: 'rx' };
    expect(valueAt(back, address, 95)).toBe(5);
    const moved = movePicked(back, pick(back, address, 10), { by: 3 });
    expect(keysOf(moved, address)[0].frame).toBe(4);
    expect(keysOf(keyValue(back, address, 90, 1), address).map(({ frame }) => frame)).toEqual([10, 20]);
  });

  it('that are what they are already change nothing', () => {
    const keyed = keyPose(keyValue(project, of, 10, 1), id, 10, { Head: { rx: 5 } });
    const same: ((p: Project) => Project)[] = [
      (p) => setValue(p, of, 10, 1),
      (p) => keyPose(p, id, 10, { Head: { rx: 5 } }),
      (p) => movePicked(p, pick(p, of, 10), { by: 0 }),
      (p) => setLayer(p, id, { muted: false }),
      (p) => setSpan(p, id, undefined),
      (p) => clearMask(p, id),
      (p) => setTime(p, id, undefined),
    ];
    for (const edit of same) expect(edit(keyed)).toBe(keyed);
  });
});

describe('keys', () => {
  const { project, id } = withLayer('additive');
  const twice = keyPose(keyPose(project, id, 10, { Head: { rx: 5 } }), id, 20, { Head: { rx: 15, ry: 3 } });
  const frames = (p: Project) => keyFrames(layerById(p, id)!);
  const column = (p: Project, ...at: number[]) =>
    keysOn(layerById(p, id)!, channelAddresses(layerById(p, id)!), (frame) => at.includes(frame));

  it('move and go together with all channels on their frame', () => {
    expect(frames(movePicked(twice, column(twice, 20), { by: 12 }))).toEqual([10, 32]);
    expect(frames(movePicked(twice, column(twice, 10), { by: 10 }))).toEqual([20]);
    expect(frames(deletePicked(twice, column(twice, 10)))).toEqual([20]);
    expect(layerById(deletePicked(twice, column(twice, 10, 20)), id)!.content).toEqual({ kind: 'nothing' });
  });

  it('a tried pose shows at every frame and is not in the project', () => {
    const tried = withTrial(twice, { layer: id, values: { Head: { rx: 40 } } });
    const direct = keyPose(deletePicked(twice, column(twice, 10)), id, 20, { Head: { rx: 40, ry: 3 } });
    expect(poseAt(tried, 20)).toEqual(poseAt(direct, 20));
    expect(frames(twice)).toEqual([10, 20]);
  });

  it('of the root land where it was put, wherever a loop that travels has come to', () => {
    const hips = jointOf('Hips');
    const walk = { Hips: { tx: { keys: [newKey(0, 0), newKey(4, 3), newKey(10, 10)] } } };
    const travels = (channels: Channels): Project => ({
      ...project,
      layers: project.layers.map((layer) =>
        layer.id === id
          ? {
              ...layer,
              content: keyed(channels),
              time: { offset: 0, speed: 1, loop: 'travel', cycle: [0, 10] },
            }
          : layer,
      ),
    });
    const openEnd = { Hips: { tx: { keys: [newKey(4, 3), newKey(10, 10)] } } };
    for (const channels of [walk, openEnd, {}])
      for (const frame of [-10, -6, 0, 4, 5, 10, 13, 20, 30, 34]) {
        const p = travels(channels);
        const seen = (q: Project) => poseAt(q, frame).translations[3 * hips];
        const translation = [...poseAt(p, frame).translations.subarray(3 * hips, 3 * hips + 3)];
        translation[0] += 20;
        const index = p.layers.findIndex((layer) => layer.id === id);
        const values = { Hips: solveChannels(compileStack(p), frame, index, hips, { translation })! };
        const tried = withTrial(p, { layer: id, values });
        expect(seen(tried)).toBeCloseTo(translation[0], 6);
        // A second move while it is tried is solved on what is seen, and keyed on what is kept.
        const again = solveChannels(compileStack(tried), frame, index, hips, { translation })!;
        expect(seen(keyPose(p, id, frame, { Hips: again }))).toBeCloseTo(translation[0], 6);
      }
  });
});

describe('a pose that is refused', () => {
  it('says why, and the remedy removes the reason', () => {
    const { project, id } = withLayer('override', [jointOf('Head')]);
    const head = jointOf('Head');
    const refusal = (p: Project, frame: number, j = head) => poseRefusal(p, compileStack(p), 1, [j], frame);
    expect(refusal(project, 100)).toBeUndefined();
    // A span that follows its keys comes along; what else is in the way is said all the same.
    expect(refusal(project, 300)).toBeUndefined();
    expect(refusal(setValue(project, { kind: 'weight', layer: id }, 0, 0), 300)?.reason).toMatch(
      /weighs nothing/,
    );
    for (const [broken, frame, reason, j] of [
      [setLayer(project, id, { muted: true }), 100, /muted/, head],
      [setFollows(project, id, false), 300, /outside the span/, head],
      [setValue(project, { kind: 'weight', layer: id }, 0, 0), 100, /weighs nothing/, head],
      [keyValue(project, { kind: 'weight', layer: id }, 100, 0), 100, /weighs nothing/, head],
      [setValue(project, { kind: 'part', layer: id, part: 'head' }, 0, 0), 100, /mask/, head],
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
    // Of many joints all that are shut out are let in at once.
    const all = project.rig.joints.map((_, j) => j);
    const many = poseRefusal(project, compileStack(project), 1, all, 100)!;
    expect(many.remedy).toContain(`${all.length - 1} joints`);
    expect(poseRefusal(many.apply(project), compileStack(many.apply(project)), 1, all, 100)).toBeUndefined();
  });
});
