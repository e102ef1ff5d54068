import { channelsOf, keyFrames, layerById } from '@evlay/core';
import { keyPose, setLayer } from '@evlay/core/edit';
import { angleBetween } from '@evlay/core/math';
import * as THREE from 'three';
import { beforeEach, describe, expect, it } from 'vitest';
import { perform, refusalOf } from '../src/commands/command.js';
import { setChannel } from '../src/commands/keys/channels.js';
import { repeatTouchUp, toggleTouchUp } from '../src/commands/keys/touch-up.js';
import { changeLimb, makeLimb } from '../src/commands/poses/limbs.js';
import { keepPicked, pickJoints, pickSet } from '../src/commands/poses/picking.js';
import { membersMeant, showPose } from '../src/commands/poses/pose.js';
import { applyPose, saveThePose } from '../src/commands/poses/pose-book.js';
import { copyPose, dialPose, dialStart, holdKey, keyBelow, pastePose } from '../src/commands/poses/poses.js';
import { letActAround } from '../src/commands/stack/layer-values.js';
import { addAdditiveLayer } from '../src/commands/stack/layers.js';
import { keepKeysOffPicked, letKeyPicked, limitKeysToPicked } from '../src/commands/stack/membership.js';
import { paletteGroups } from '../src/controls/palette-entries.js';
import { createEditor, type Editor } from '../src/editor/editor.js';
import { beginGesture } from '../src/gestures/gesture.js';
import { beginTurn } from '../src/view/handles/turn-joints.js';
import { projectOf } from './subject.js';

const HEAD = 2;
let editor: Editor;
let layer: string;

beforeEach(() => {
  editor = createEditor(projectOf(61));
  perform(editor, addAdditiveLayer, undefined);
  layer = editor.session.getState().lit;
});

const project = () => editor.history.project();
const past = () => editor.history.store.getState().past.length;
const frames = () => keyFrames(layerById(project(), layer)!);
const rx = () => channelsOf(layerById(project(), layer)!).Head?.rx?.keys.map(({ value }) => value);
const key = (frame: number, value: number) =>
  editor.history.edit((now) => keyPose(now, layer, frame, { Head: { rx: value, ry: 0, rz: 0 } }));
const seen = (of: Editor, j: number) => [...of.stage.get().pose.rotations.subarray(4 * j, 4 * j + 4)];

describe('poses on the way', () => {
  it('a key is held, and nothing of the layer keyed, for what is picked or all that it keys', () => {
    key(10, 12);
    editor.playhead.set(20);
    expect(membersMeant(editor)).toEqual([HEAD]);
    perform(editor, holdKey, undefined);
    expect([frames(), rx()]).toEqual([
      [10, 20],
      [12, 12],
    ]);
    editor.playhead.set(30);
    perform(editor, keyBelow, undefined);
    expect([frames(), rx()]).toEqual([
      [10, 20, 30],
      [12, 12, 0],
    ]);
    editor.playhead.set(5);
    expect(refusalOf(editor, holdKey, undefined)?.reason).toBe('No key stands before the playhead');
    perform(editor, pickJoints, [1]);
    expect(refusalOf(editor, holdKey, undefined)?.reason).toMatch(/no keys/);
  });

  it('a copied pose is seen where it is pasted, in another project of the same joints too', () => {
    key(10, 40);
    editor.playhead.set(10);
    perform(editor, copyPose, undefined);
    const wanted = seen(editor, HEAD);
    const other = createEditor(projectOf(31, 'other'));
    perform(other, addAdditiveLayer, undefined);
    other.playhead.set(7);
    expect(angleBetween(seen(other, HEAD), 0, wanted, 0)).toBeGreaterThan(0.2);
    perform(other, pastePose, undefined);
    expect(angleBetween(seen(other, HEAD), 0, wanted, 0)).toBeLessThan(1e-6);
    // On a base that plays a take nothing is pasted, and that is said.
    other.session.light(other.history.project().layers[0].id);
    expect(refusalOf(other, pastePose, undefined)?.reason).toMatch(/plays a take/);
  });

  it('the dial goes between the keys beside as one step of undo, and back on Escape', () => {
    key(10, 0);
    key(30, 20);
    editor.playhead.set(20);
    const steps = past();
    for (const kept of [false, true]) {
      const start = dialStart(editor);
      const gesture = beginGesture(editor, dialPose, { ends: 'keys', amount: 0, ...start })!;
      for (const amount of [0.1, 1.4, 0.25]) gesture.to({ ends: 'keys', amount, ...start });
      expect(rx()?.[1]).toBe(5);
      if (kept) gesture.commit();
      else gesture.cancel();
      expect([frames(), past()]).toEqual(kept ? [[10, 20, 30], steps + 1] : [[10, 30], steps]);
    }
  });

  it('with auto key off a pose is only tried; a pose of what the layer may not key is refused', () => {
    perform(editor, pickJoints, [HEAD]);
    perform(editor, limitKeysToPicked, undefined);
    const turned = { rotation: [Math.sin(0.2), 0, 0, Math.cos(0.2)] };
    editor.session.setState({ autoKey: false });
    perform(
      editor,
      showPose,
      new Map([
        [HEAD, turned],
        [1, turned],
      ]),
    );
    expect([frames(), Object.keys(editor.session.getState().trial?.values ?? {})]).toEqual([[], ['Head']]);
    expect(refusalOf(editor, showPose, new Map([[1, turned]]))?.reason).toMatch(/limited to other joints/);
    perform(editor, pickJoints, [1]);
    perform(editor, letKeyPicked, undefined);
    expect(refusalOf(editor, showPose, new Map([[1, turned]]))).toBeUndefined();
    perform(editor, keepKeysOffPicked, undefined);
    expect(refusalOf(editor, showPose, new Map([[1, turned]]))?.remedy?.label).toBe('Let it key Spine');
  });

  it('a touch-up fades away on both sides, is repeated every so many frames, and is no key that holds throughout', () => {
    editor.playhead.set(20);
    perform(editor, pickJoints, [HEAD]);
    expect(refusalOf(editor, repeatTouchUp, { at: 'cycles', period: 15 })?.reason).toMatch(
      /Nothing was touched up/,
    );
    perform(editor, toggleTouchUp, undefined);
    perform(editor, setChannel, { channel: 'rx', values: new Map([[HEAD, 9]]) });
    expect([frames(), rx(), editor.session.getState().asked]).toEqual([[14, 20, 26], [0, 9, 0], undefined]);
    perform(editor, repeatTouchUp, { at: 'cycles', period: 15 });
    expect(frames()).toEqual(expect.arrayContaining([5, 20, 35, 50]));
    expect(refusalOf(editor, repeatTouchUp, { at: 'contacts' })?.reason).toMatch(/no other contact/);
    // Undone, there is nothing to repeat.
    editor.history.undo();
    editor.history.undo();
    expect(refusalOf(editor, repeatTouchUp, { at: 'cycles', period: 15 })?.reason).toMatch(
      /Nothing was touched up/,
    );
  });

  it('the one key of an additive layer acts around its frame where that is answered', () => {
    key(30, 7);
    expect(editor.session.getState().asked).toBe(layer);
    perform(editor, letActAround, { layer, frames: 5 });
    expect([frames(), rx(), editor.session.getState().asked]).toEqual([[25, 30, 35], [0, 7, 0], undefined]);
  });
});

describe('handles', () => {
  const placeOf = (j: number) => new THREE.Vector3().fromArray(editor.stage.get().matrices, 16 * j + 12);
  const orientationOf = (j: number) => {
    const q = new THREE.Quaternion();
    new THREE.Matrix4()
      .fromArray(editor.stage.get().matrices, 16 * j)
      .decompose(new THREE.Vector3(), q, new THREE.Vector3());
    return q;
  };
  const turn = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 0.6, 0.8), 0.7);

  it('turn several joints about one of them: the root goes round it, as three turns a point', () => {
    editor.playhead.set(12);
    perform(editor, pickJoints, [0, HEAD]);
    editor.session.setState({ together: 'pivot', feetStay: false });
    const [root, pivot] = [0, HEAD].map(placeOf);
    const before = orientationOf(0);
    const turns = beginTurn(editor, HEAD, new THREE.Quaternion());
    perform(editor, showPose, turns(turn));
    const there = root.clone().sub(pivot).applyQuaternion(turn).add(pivot);
    expect(placeOf(0).distanceTo(there)).toBeLessThan(1e-6);
    expect(orientationOf(0).angleTo(turn.clone().multiply(before))).toBeLessThan(1e-6);
    // What hangs on it goes along as a whole, so that the pivot stays.
    expect(placeOf(HEAD).distanceTo(pivot)).toBeLessThan(1e-4);
  });

  it('with neighbours of a touch-up come to where they are put; those that the layer may not key take no part', () => {
    editor.playhead.set(12);
    perform(editor, toggleTouchUp, undefined);
    editor.session.setState({ touchUp: { before: 4, hold: 0, after: 4, neighbours: 2 }, turnAxes: 'world' });
    perform(editor, pickJoints, [HEAD]);
    const before = orientationOf(HEAD);
    const put = () => {
      const turns = beginTurn(editor, HEAD, new THREE.Quaternion());
      perform(editor, showPose, turns(turn));
      expect(orientationOf(HEAD).angleTo(turn.clone().multiply(before))).toBeLessThan(1e-6);
      return Object.keys(channelsOf(layerById(project(), layer)!)).sort();
    };
    expect(put()).toEqual(['Head', 'Spine']);
    editor.history.undo();
    perform(editor, limitKeysToPicked, undefined);
    expect(put()).toEqual(['Head']);
  });

  it('turn in the axes that are chosen, by the same turn of the handles', () => {
    editor.playhead.set(12);
    for (const turnAxes of ['joint', 'parent', 'world'] as const) {
      perform(editor, pickJoints, [HEAD]);
      editor.session.setState({ turnAxes, together: 'each' });
      const before = orientationOf(HEAD);
      const from =
        turnAxes === 'joint' ? before : turnAxes === 'parent' ? orientationOf(1) : new THREE.Quaternion();
      const turns = beginTurn(editor, HEAD, from.clone());
      perform(editor, showPose, turns(turn.clone().multiply(from)));
      expect(orientationOf(HEAD).angleTo(turn.clone().multiply(before)), turnAxes).toBeLessThan(1e-6);
      editor.history.undo();
    }
  });
});

describe('what is kept of a character', () => {
  it('sets of joints, limbs and poses are steps of undo; what could not bend is refused', () => {
    perform(editor, pickJoints, [0, 1, HEAD]);
    perform(editor, keepPicked, 'trunk');
    perform(editor, pickJoints, [1]);
    perform(editor, pickSet, 'trunk');
    expect(editor.session.getState().picked).toEqual([0, 1, HEAD]);
    // Straight up, so that nothing tells another way than ahead.
    perform(editor, makeLimb, 'neck');
    expect(project().limbs.neck?.chain).toEqual(['Hips', 'Spine', 'Head']);
    const along = { chain: ['Hips', 'Spine', 'Head'], bend: [0, 1, 0] as const };
    expect(refusalOf(editor, changeLimb, { name: 'neck', limb: along })?.reason).toMatch(
      /lies along the bone/,
    );
    key(0, 25);
    editor.playhead.set(0);
    const wanted = seen(editor, HEAD);
    perform(editor, saveThePose, 'part');
    key(0, 0);
    const [pose] = project().poses;
    perform(editor, applyPose, { pose });
    expect(angleBetween(seen(editor, HEAD), 0, wanted, 0)).toBeLessThan(1e-6);
    const steps = past();
    for (let k = 0; k < steps; k++) editor.history.undo();
    expect([project().sets, project().limbs, project().poses]).toEqual([[], {}, []]);
  });

  it('the palette has every command once, and says why one cannot be done on a locked layer', () => {
    key(10, 3);
    editor.history.edit((now) => setLayer(now, layer, { locked: true }));
    const entries = paletteGroups(editor).flatMap((group) => group.entries);
    expect(new Set(entries.map(({ label }) => label)).size).toBe(entries.length);
    const hold = entries.find(({ label }) => label.startsWith('Hold'))!;
    expect(hold.refused(editor)).toMatch(/is locked/);
  });
});
