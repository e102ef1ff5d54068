import {
  addressKey,
  type Curve,
  channelsOf,
  type KeyPick,
  layerById,
  newKey,
  type Project,
  withoutLooks,
} from '@evlay/core';
import { curveAt, shapeOf } from '@evlay/core/curve';
import { insertFrames } from '@evlay/core/edit';
import { readProject, writeProject } from '@evlay/core/format';
import { beforeEach, describe, expect, it } from 'vitest';
import { lampLighting } from '../../../packages/demo/src/wick/lamp-lighting.js';
import { type Command, perform, refusalOf } from '../src/commands/command.js';
import {
  giveShape,
  handleKeys,
  insertHere,
  moveOnCurves,
  setEase,
  smoothTheHolds,
} from '../src/commands/keys/curves.js';
import { pickKeys } from '../src/commands/keys/keys.js';
import { mirrorLayerMotion, retimeRange } from '../src/commands/keys/timing.js';
import { chainsOf, followPicked, noiseOnPicked, slideKeys } from '../src/commands/keys/worked-out.js';
import { changeFrames } from '../src/commands/project/frames.js';
import { markFrame, toMarkAfter } from '../src/commands/project/marks.js';
import { redo, undo } from '../src/commands/project/project.js';
import { changeRate } from '../src/commands/project/rate.js';
import { LAYER_SHORTCUTS, PROJECT_SHORTCUTS, TRANSPORT_SHORTCUTS } from '../src/commands/shortcuts.js';
import { addAdditiveLayer, lightLayer } from '../src/commands/stack/layers.js';
import { setPlayRange } from '../src/commands/view/transport.js';
import { setView } from '../src/commands/view/view.js';
import {
  curveUnder,
  type Graph,
  handleAt,
  keyAtSpot,
  keysInBox,
  placedCurves,
  placedHandles,
  spotOf,
} from '../src/curves/geometry.js';
import { keysOfCurve, shapesOfPicked } from '../src/curves/pick.js';
import { curvesShown } from '../src/curves/shown.js';
import { fittedScales, valueToY, yToValue, zoomedScales } from '../src/curves/value-scale.js';
import { createEditor, type Editor } from '../src/editor/editor.js';
import { setDisplay } from '../src/editor/session.js';
import { snapped } from '../src/timeline/snap.js';

const demo = await lampLighting(new Uint8Array());
const ARM = 'lantern-arm';
let editor: Editor;
const project = () => editor.history.project();
const joint = (name: string) => demo.rig.joints.findIndex((one) => one.name === name);

beforeEach(() => {
  editor = createEditor(demo);
  perform(editor, lightLayer, ARM);
});

/** The graph of the right forearm's curves, 600 by 200 pixels, a frame every five. */
function graphOf(own = false): Graph {
  const curves = curvesShown(project(), ARM, [joint('RightForearm')], []);
  return {
    project: project(),
    summed: [],
    curves,
    hidden: [],
    scales: fittedScales(project(), curves, own),
    own,
    scale: { from: 0, to: 120, width: 600 },
    height: 200,
    picks: editor.session.getState().keys,
  };
}

describe('the graph of curves', () => {
  it('lists what is picked with what else is keyed, and all of the layer where nothing is picked', () => {
    expect(graphOf().curves.map(({ label }) => label)).toEqual([
      'RightForearm rx',
      'RightForearm ry',
      'RightForearm rz',
      'weight',
    ]);
    const channels = Object.values(channelsOf(layerById(project(), ARM)!)).flatMap((own) => Object.keys(own));
    expect(curvesShown(project(), ARM, [], [])).toHaveLength(channels.length + 1);
    expect(curvesShown(project(), ARM, [joint('LeftFoot')], []).map(({ label }) => label)).toEqual([
      'weight',
    ]);
  });

  it('has every key in sight, finds the one under the pointer, and those in a box', () => {
    for (const own of [false, true]) {
      const graph = graphOf(own);
      const placed = placedCurves(graph);
      for (const one of placed)
        for (const key of one.curve.keys) {
          const spot = spotOf(graph, one, key.frame, key.value);
          expect(spot.y).toBeGreaterThan(0);
          expect(spot.y).toBeLessThan(200);
          expect(spot.x).toBeCloseTo(5 * key.frame, 9);
          const found = keyAtSpot(graph, placed, { x: spot.x + 2, y: spot.y - 2 })!;
          expect(found.key.frame).toBe(key.frame);
        }
      const picks = keysInBox(graph, placed, { x: 5 * 30, y: 0 }, { x: 5 * 60, y: 200 });
      const frames = picks.flatMap(({ address, keys }) =>
        keysOfCurve(project(), address).length > 0 ? keys : [],
      );
      // Keys of the three angles at 40 and 58, and of the weight at 38.
      expect(frames).toHaveLength(7);
    }
  });

  it('zooms about a height that stays, and a value and its height are one', () => {
    const { scales } = graphOf();
    const [low, high] = scales.get('angle')!;
    const zoomed = zoomedScales(scales, 0.5, 0.25).get('angle')!;
    expect(zoomed[1] - zoomed[0]).toBeCloseTo((high - low) / 2, 9);
    expect(yToValue(zoomed, 50, 200)).toBeCloseTo(yToValue([low, high], 50, 200), 9);
    expect(yToValue(zoomed, valueToY(zoomed, 12, 200), 200)).toBeCloseTo(12, 9);
  });

  it('shows handles of picked keys where they can be taken, none at a hold; a curve is found beside its keys', () => {
    const [pick] = keysOfCurve(project(), graphOf().curves[1].address);
    perform(editor, pickKeys, { picks: [{ ...pick, keys: [pick.keys[1]] }], more: false });
    const graph = graphOf();
    const placed = placedCurves(graph);
    const handles = placedHandles(graph, placed);
    expect(handles.map(({ side }) => side)).toEqual(['in', 'out']);
    expect(handleAt(handles, handles[1].at)?.handle.side).toBe('out');
    const at = spotOf(graph, placed[1], 28, 0);
    const value = placed[1].curve.keys[1].value;
    expect(curveUnder(graph, placed, { x: at.x, y: -500 }, 28)).toBeUndefined();
    const near = spotOf(graph, placed[1], 40, value);
    expect(curveUnder(graph, placed, { x: near.x, y: near.y + 3 }, 40)?.shown.label).toBe('RightForearm ry');
    perform(editor, giveShape, 'hold');
    expect(placedHandles(graphOf(), placedCurves(graphOf())).map(({ side }) => side)).toEqual(['in']);
  });
});

describe('commands of curves', () => {
  const picked = (): readonly KeyPick[] => editor.session.getState().keys;

  it('refuse where no key is picked; a shape is one step, and is called what it is', () => {
    expect(refusalOf(editor, giveShape, 'contact')?.reason).toContain('No key is picked');
    const all = keysOfCurve(project(), graphOf().curves[1].address);
    perform(editor, pickKeys, { picks: all, more: false });
    perform(editor, giveShape, 'gentle');
    expect(shapesOfPicked(project(), picked())).toEqual(['gentle']);
    perform(editor, handleKeys, 'automatic');
    expect(shapesOfPicked(project(), picked())).toEqual(['smooth']);
    perform(editor, undo, undefined);
    expect(shapesOfPicked(project(), picked())).toEqual(['gentle']);
    perform(editor, undo, undefined);
    expect(layerById(project(), ARM)).toBe(layerById(demo, ARM));
    perform(editor, redo, undefined);
    expect(shapesOfPicked(project(), picked())).toEqual(['gentle']);
  });

  it('set keys at the playhead on what is picked and leave its curves as they are', () => {
    const curves = () => channelsOf(layerById(project(), ARM)!);
    const before = curves();
    perform(editor, setView, { picked: [joint('RightForearm')] });
    editor.playhead.set(47);
    perform(editor, insertHere, undefined);
    for (const channel of ['rx', 'ry', 'rz'] as const) {
      const [was, is] = [before.RightForearm[channel]!, curves().RightForearm[channel]!];
      expect(is.keys.map(({ frame }) => frame)).toContain(47);
      for (let frame = 10; frame < 110; frame += 1.3)
        expect(curveAt(is, frame)).toBeCloseTo(curveAt(was, frame), 7);
    }
    expect(curves().RightUpperArm).toBe(before.RightUpperArm);
    // Of picked keys only their curves are meant.
    const [pick] = keysOfCurve(project(), graphOf().curves[0].address);
    perform(editor, pickKeys, { picks: [pick], more: false });
    editor.playhead.set(90);
    perform(editor, insertHere, undefined);
    expect(curves().RightForearm.rx!.keys.map(({ frame }) => frame)).toContain(90);
    expect(curves().RightForearm.ry!.keys.map(({ frame }) => frame)).not.toContain(90);
  });

  it('move keys of one unit in value and all in time', () => {
    const [, ry, , weight] = graphOf().curves;
    const sets = [
      { picks: keysOfCurve(project(), ry.address), value: 5 },
      { picks: keysOfCurve(project(), weight.address), value: 0 },
    ];
    const before = new Map(
      [ry, weight].map(({ address, key }) => {
        const layer = layerById(project(), ARM)!;
        const curve = address.kind === 'channel' ? channelsOf(layer).RightForearm.ry! : layer.weight;
        if (typeof curve === 'number') throw new Error('the weight is keyed');
        expect(addressKey(address)).toBe(key);
        return [key, curve] as const;
      }),
    );
    perform(editor, moveOnCurves, { sets, by: 2, copies: false, before });
    const layer = layerById(project(), ARM)!;
    const old = before.get(ry.key)!.keys;
    expect(channelsOf(layer).RightForearm.ry!.keys.map(({ frame, value }) => [frame, value])).toEqual(
      old.map(({ frame, value }) => [frame + 2, value + 5]),
    );
    expect(typeof layer.weight !== 'number' && layer.weight.keys.map(({ frame }) => frame)).toEqual(
      before.get(weight.key)!.keys.map(({ frame }) => frame + 2),
    );
  });
});

describe('commands of timing', () => {
  it('say what is missing, and write noise on what is picked alone', () => {
    expect(refusalOf(editor, noiseOnPicked, {})?.reason).toContain('additive');
    expect(refusalOf(editor, slideKeys, { joints: [joint('Hips')], frames: 2, growth: 1 })?.reason).toContain(
      'two joints',
    );
    expect(refusalOf(editor, mirrorLayerMotion, 'picked')?.reason).toContain('Pick the joints');
    expect(refusalOf(editor, followPicked, {})?.reason).toContain('Pick a tail');
    perform(editor, addAdditiveLayer, undefined);
    perform(editor, setView, { picked: [joint('Head')] });
    perform(editor, noiseOnPicked, { angle: 3 });
    const [made] = project().layers.filter(({ id }) => !layerById(demo, id));
    expect(Object.keys(channelsOf(made))).toEqual(['Head']);
    expect(editor.session.getState().timing.noise.angle).toBe(3);
    const most = () =>
      Math.max(
        ...channelsOf(layerById(project(), made.id)!).Head.rx!.keys.map(({ value }) => Math.abs(value)),
      );
    expect(most()).toBeCloseTo(3, 9);
    perform(editor, noiseOnPicked, { frequency: 2 });
    expect(Object.keys(channelsOf(layerById(project(), made.id)!).Head)).toEqual(['rx', 'ry', 'rz']);
    perform(editor, noiseOnPicked, { angle: 0 });
    expect(channelsOf(layerById(project(), made.id)!)).toEqual({});
  });

  it('finds chains: one joint stands for what hangs on it in a line, led by the joint above', () => {
    const { rig } = demo;
    const names = (chains: readonly (readonly number[])[]) =>
      chains.map((chain) => chain.map((j) => rig.joints[j].name));
    expect(names(chainsOf(rig, [joint('LeftIndex1')]))).toEqual([
      ['LeftHand', 'LeftIndex1', 'LeftIndex2', 'LeftIndex3'],
    ]);
    expect(names(chainsOf(rig, [joint('LeftIndex1'), joint('LeftIndex2'), joint('Head')]))).toEqual([
      ['LeftHand', 'LeftIndex1', 'LeftIndex2'],
      ['Neck', 'Head'],
    ]);
    expect(chainsOf(rig, [joint('Hips')])).toEqual([]);
  });

  it('a lantern that hangs is written on a layer of its own, and anew on the same', () => {
    perform(editor, setView, { picked: [joint('Lantern')] });
    perform(editor, followPicked, { hang: 1 });
    const { lit } = editor.session.getState();
    expect(layerById(project(), lit)).toMatchObject({ name: 'Follow', mode: 'override' });
    perform(editor, followPicked, { damping: 0.3 });
    expect(editor.session.getState().lit).toBe(lit);
    expect(project().layers).toHaveLength(demo.layers.length + 1);
    perform(editor, undo, undefined);
    perform(editor, undo, undefined);
    expect(project().layers).toEqual(demo.layers);
  });
});

it('what moves in time moves in all variants and in the layers, whichever variant is shown', () => {
  const ofArm = (project: Project) => layerById(project, ARM)!.weight as Curve;
  const framesOf = ({ keys }: Curve) => keys.map(({ frame }) => frame);
  const calm = {
    layers: { [ARM]: { weight: { keys: [newKey(30, 0.5), newKey(90, 1)] } } },
    range: [0, 60] as const,
  };
  const lively = { layers: { [ARM]: { weight: { keys: [newKey(15, 1)] } } } };
  const start = {
    ...demo,
    variants: [
      { name: 'calm', ...calm },
      { name: 'lively', ...lively },
    ],
  };
  const wanted = framesOf(ofArm(start));
  for (const [command, arg, to] of [
    [changeRate, { fps: 60, keys: 'moments' }, (frame: number) => 2 * frame],
    [changeFrames, { count: 10 }, (frame: number) => frame + 10],
    [retimeRange, { range: [0, 120], factor: 1.5 }, (frame: number) => 1.5 * frame],
  ] as const)
    for (const variant of ['calm', 'lively', undefined]) {
      const own = createEditor(start);
      setDisplay(own.session, { variant });
      own.playhead.set(0);
      perform(own, command as Command<unknown>, arg);
      const kept = own.kept.project();
      expect(framesOf(ofArm(kept))).toEqual(wanted.map(to));
      const said = kept.variants.map(({ layers }) => framesOf(layers[ARM].weight as Curve));
      expect(said).toEqual([[30, 90].map(to), [15].map(to)]);
      expect(kept.variants[0].range![1]).toBe(to(60));
      expect(kept.range[1]).toBe(to(120));
      perform(own, undo, undefined);
      expect(own.kept.project()).toEqual(start);
    }
});

it('marks, the ease of new keys and what is played: kept in the file or not, as they should be', async () => {
  editor.playhead.set(24);
  perform(editor, markFrame, undefined);
  editor.playhead.set(3);
  perform(editor, toMarkAfter, undefined);
  expect(editor.playhead.get()).toBe(24);
  perform(editor, setEase, { layer: ARM, ease: 'hold' });
  perform(editor, setPlayRange, [40.2, 9.7]);
  expect(editor.session.getState().playRange).toEqual([10, 40]);
  // Frames that come in before a mark move it, those that go take it to where they began.
  const frameAfter = (at: number, count: number) => insertFrames(project(), at, count).project.marks[0].frame;
  expect([frameAfter(10, 6), frameAfter(30, 6), frameAfter(20, -10)]).toEqual([30, 24, 20]);
  const file = writeProject({ ...project(), scene: withoutLooks(project().scene) });
  const again = (await readProject(file, 'lamp-lighting.evlay')).project;
  expect(again.marks.map(({ name, frame }) => [name, frame])).toEqual([['Mark 1', 24]]);
  expect(layerById(again, ARM)?.ease).toBe('hold');
  // Keys come onto a mark that is near, else onto whole frames.
  const scale = { from: 0, to: 120, width: 600 };
  expect(snapped(project(), scale, 20, 3.3)).toBe(4);
  expect(snapped(project(), scale, 20, 1.4)).toBe(1);
  perform(editor, smoothTheHolds, 'all');
  perform(editor, markFrame, undefined);
  expect(project().marks).toEqual([]);
  const { keys } = channelsOf(layerById(project(), ARM)!).RightForearm.ry!;
  expect(shapeOf(keys, 1)).toBe('smooth');
});

it('no two commands have the same shortcut', () => {
  const keys = [...PROJECT_SHORTCUTS, ...TRANSPORT_SHORTCUTS, ...LAYER_SHORTCUTS].flatMap(
    ({ shortcut: own }) => own!.split(', '),
  );
  expect(keys.filter((key, k) => keys.indexOf(key) !== k)).toEqual([]);
});
