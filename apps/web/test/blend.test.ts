import { isLive, layerById, type Project } from '@evlay/core';
import { secondOf } from '@evlay/core/format';
import { beforeEach, describe, expect, it } from 'vitest';
import { lampLighting } from '../../../packages/demo/src/wick/lamp-lighting.js';
import { perform, refusalOf } from '../src/commands/command.js';
import { setValues } from '../src/commands/keys/values.js';
import { changeRange, undo } from '../src/commands/project/project.js';
import { clearPicked, deleteIdle, joinBelow } from '../src/commands/stack/contents.js';
import { changeMode, convert } from '../src/commands/stack/converting.js';
import { groupPicked, letGroupGo, toggleGroupMute } from '../src/commands/stack/groups.js';
import { handOverLayers } from '../src/commands/stack/hand-over.js';
import { changeSpan } from '../src/commands/stack/layer-values.js';
import {
  duplicateLit,
  moveLitUp,
  removeLayer,
  toggleLock,
  toggleMute,
  toggleSolo,
} from '../src/commands/stack/layers.js';
import { mergePart, renameThePart, splitPart } from '../src/commands/stack/parts.js';
import { pickAbove, pickBelow, pickedLayers, pickLayer } from '../src/commands/stack/picked-layers.js';
import { keepVariant, nextVariant, removeVariant, renameTheVariant } from '../src/commands/stack/variants.js';
import {
  copyTheWeight,
  countIn,
  invertParts,
  pasteTheWeight,
  soften,
} from '../src/commands/stack/weighing.js';
import { playAlone, setView } from '../src/commands/view/view.js';
import { otherStage, projectBefore, projectBelow, projectOfLayer } from '../src/editor/compare.js';
import { createEditor, type Editor } from '../src/editor/editor.js';
import { beginGesture } from '../src/gestures/gesture.js';
import { isFound, laneRows } from '../src/lanes/stack/rows.js';
import { notices, notify } from '../src/ui/notify.js';

const demo = await lampLighting(new Uint8Array());
const [BASE, LEAN, ARM, GLANCE] = demo.layers.map(({ id }) => id);
let editor: Editor;
const project = (): Project => editor.history.project();
const layer = (id: string) => layerById(project(), id)!;

beforeEach(() => {
  editor = createEditor(demo);
});

const pick = (...ids: readonly string[]) => {
  perform(editor, pickLayer, { layer: ids[0], how: 'alone' });
  for (const id of ids.slice(1)) perform(editor, pickLayer, { layer: id, how: 'more' });
};

describe('several layers', () => {
  it('are picked one by one, up to one, and from the keyboard there and back', () => {
    pick(LEAN);
    perform(editor, pickLayer, { layer: GLANCE, how: 'up to here' });
    expect(pickedLayers(editor)).toEqual([LEAN, ARM, GLANCE]);
    perform(editor, pickLayer, { layer: ARM, how: 'more' });
    expect(pickedLayers(editor)).toEqual([LEAN, GLANCE]);
    // The lit one is let go of where another can be lit, the last one is not.
    perform(editor, pickLayer, { layer: LEAN, how: 'more' });
    expect([editor.session.getState().lit, pickedLayers(editor)]).toEqual([GLANCE, [GLANCE]]);
    perform(editor, pickLayer, { layer: GLANCE, how: 'more' });
    expect(pickedLayers(editor)).toEqual([GLANCE]);
    perform(editor, pickBelow, undefined);
    perform(editor, pickBelow, undefined);
    expect(pickedLayers(editor)).toEqual([LEAN, ARM, GLANCE]);
    perform(editor, pickAbove, undefined);
    expect(pickedLayers(editor)).toEqual([ARM, GLANCE]);
  });

  it('are switched, coloured, copied and deleted together, each as one step', () => {
    pick(LEAN, GLANCE);
    perform(editor, toggleMute, GLANCE);
    expect([LEAN, ARM, GLANCE].map((id) => layer(id).muted)).toEqual([true, false, true]);
    // One that is not picked is switched alone.
    perform(editor, toggleMute, ARM);
    expect([LEAN, ARM, GLANCE].map((id) => layer(id).muted)).toEqual([true, true, true]);
    perform(editor, undo, undefined);
    // An undo lights what it changed.
    perform(editor, undo, undefined);
    pick(LEAN, GLANCE);
    perform(editor, duplicateLit, undefined);
    expect(project().layers).toHaveLength(6);
    expect(pickedLayers(editor)).toHaveLength(2);
    perform(editor, removeLayer, pickedLayers(editor)[0]);
    expect(project().layers.map(({ id }) => id)).toEqual([BASE, LEAN, ARM, GLANCE]);
    pick(LEAN, GLANCE);
    perform(editor, toggleLock, LEAN);
    expect(refusalOf(editor, removeLayer, GLANCE)?.reason).toMatch(/is locked/);
  });

  it('move in a drag by as much as the one that is dragged, and come back with it', () => {
    perform(editor, changeSpan, { layer: LEAN, span: { start: 10, end: 60, fadeIn: 4 } });
    const before = layer(GLANCE).span!;
    pick(LEAN, GLANCE);
    const gesture = beginGesture(editor, changeSpan, { layer: LEAN, span: {} })!;
    for (const fadeIn of [2, 0, 30, 6]) gesture.to({ layer: LEAN, span: { fadeIn } });
    expect(layer(GLANCE).span?.fadeIn).toBe(before.fadeIn! + 2);
    gesture.cancel();
    expect(layer(GLANCE).span).toEqual(before);
  });

  it('in a group are muted by it, but not for alone; and alone, solo and mute stay apart', () => {
    pick(LEAN, ARM);
    perform(editor, groupPicked, undefined);
    const [{ id }] = project().groups;
    perform(editor, toggleGroupMute, id);
    const live = (of: Project) => of.layers.map((_, k) => isLive(of.layers, of.groups, k));
    expect(live(project())).toEqual([true, false, false, true]);
    perform(editor, toggleSolo, ARM);
    const state = project();
    perform(editor, playAlone, { layer: ARM, rest: true });
    expect(live(editor.seen.getState().project)).toEqual([false, false, true, false]);
    perform(editor, playAlone, { layer: ARM, rest: true });
    expect(project()).toBe(state);
    expect(editor.seen.getState().project).toBe(state);
    perform(editor, letGroupGo, id);
    expect(project().groups).toEqual([]);
    perform(editor, pickLayer, { layer: BASE, how: 'alone' });
    expect(refusalOf(editor, groupPicked, undefined)).toBeDefined();
    expect(refusalOf(editor, moveLitUp, undefined)).toBeDefined();
  });

  it('are found by name, part and what they do at the frame; a folded group hides its layers', () => {
    const found = (text: string, only: 'all' | 'additive' | 'keys here' | 'does nothing here' = 'all') =>
      project()
        .layers.filter((one) => isFound(project(), one, { open: true, text, only }, editor.stage.get()))
        .map(({ id }) => id);
    expect(found('LEAN')).toEqual([LEAN]);
    expect(found('right hand')).toEqual([ARM]);
    expect(found('', 'additive')).toEqual([LEAN, GLANCE]);
    editor.playhead.set(0);
    expect(found('', 'keys here')).toEqual([LEAN]);
    expect(found('', 'does nothing here')).toEqual([ARM, GLANCE]);
    pick(LEAN, ARM);
    perform(editor, groupPicked, undefined);
    const [{ id }] = project().groups;
    const rows = (folded: string[]) => laneRows(project(), folded, () => true).map((row) => row.id);
    expect(rows([])).toEqual([GLANCE, id, ARM, LEAN, BASE]);
    expect(rows([id])).toEqual([GLANCE, id, BASE]);
  });
});

describe('variants', () => {
  const weigh = (id: string, value: number) =>
    perform(editor, setValues, [{ address: { kind: 'weight', layer: id }, value }]);

  it('take mutes, weights and the range while they are shown, or give them to the layers', () => {
    perform(editor, keepVariant, undefined);
    weigh(LEAN, 0.2);
    perform(editor, toggleMute, GLANCE);
    perform(editor, changeRange, [0, 40]);
    expect([layer(LEAN).weight, layer(GLANCE).muted, project().range]).toEqual([0.2, true, [0, 40]]);
    const kept = () => editor.kept.project();
    expect([layerById(kept(), LEAN)?.weight, kept().range]).toEqual([0.8, demo.range]);
    // What is seen is the variant, and what is named goes to the layers all the same.
    expect(editor.stage.get().project.range).toEqual([0, 40]);
    perform(editor, setView, { variantTakes: 'layers' });
    weigh(LEAN, 0.5);
    expect(layer(LEAN).weight).toBe(0.5);
    perform(editor, nextVariant, undefined);
    expect([layer(LEAN).weight, layer(GLANCE).muted]).toEqual([0.5, false]);
    perform(editor, nextVariant, undefined);
    expect(layer(GLANCE).muted).toBe(true);
  });

  it('are renamed and deleted while they are shown, and undone', () => {
    perform(editor, keepVariant, undefined);
    perform(editor, keepVariant, undefined);
    expect(refusalOf(editor, renameTheVariant, { from: 'Variant 2', to: 'Variant 1' })).toBeDefined();
    perform(editor, renameTheVariant, { from: 'Variant 2', to: 'calm' });
    expect(editor.session.getState().variant).toBe('calm');
    weigh(LEAN, 0.1);
    perform(editor, removeVariant, 'calm');
    expect([editor.session.getState().variant, layer(LEAN).weight]).toEqual([undefined, 0.8]);
    perform(editor, undo, undefined);
    expect(project().variants.map(({ name }) => name)).toEqual(['Variant 1', 'calm']);
    // Back to before it was there: nothing is shown that is not there.
    perform(editor, nextVariant, undefined);
    for (let k = 0; k < 4; k++) perform(editor, undo, undefined);
    expect([editor.session.getState().variant, project()]).toEqual([undefined, demo]);
  });

  it('are compared with, as the base is, the stack as it was opened and any step of undo', () => {
    weigh(LEAN, 0.3);
    weigh(LEAN, 0.6);
    const lean = (of: Project) => layerById(of, LEAN)?.weight;
    expect(lean(projectBefore(editor, { kind: 'opened' }))).toBe(0.8);
    expect(lean(projectBefore(editor, { kind: 'step', back: 1 }))).toBe(0.3);
    expect(projectBefore(editor, { kind: 'base' }).layers).toHaveLength(1);
    pick(ARM);
    expect(projectBelow(editor).layers.map(({ id }) => id)).toEqual([BASE, LEAN]);
    const alone = projectOfLayer(editor);
    expect(alone.layers.filter((_, k) => isLive(alone.layers, alone.groups, k)).map(({ id }) => id)).toEqual([
      ARM,
    ]);
    const ghost = otherStage(editor, () => projectBefore(editor, { kind: 'opened' }), 5);
    editor.playhead.set(20);
    expect([ghost.get().frame, lean(ghost.get().project)]).toEqual([25, 0.8]);
    ghost.stop();
  });
});

describe('weighing and blending', () => {
  it('counts in halves and kinds of parts, the other way round, and softly', () => {
    pick(LEAN, GLANCE);
    perform(editor, countIn, 'arms');
    for (const id of [LEAN, GLANCE])
      expect(layer(id).mask).toMatchObject({ leftArm: 1, rightHand: 1, head: 0 });
    perform(editor, invertParts, undefined);
    expect(layer(LEAN).mask).toMatchObject({ leftArm: 0, head: 1 });
    expect(refusalOf(editor, countIn, 'picked')?.reason).toMatch(/Pick a part/);
    perform(editor, soften, { joints: 4 });
    expect(Object.keys(layer(GLANCE).joints ?? {}).length).toBeGreaterThan(0);
    perform(editor, soften, { joints: 0 });
    expect(layer(GLANCE).joints).toBeUndefined();
  });

  it('copies the weight of a part with its keys to parts of another layer', () => {
    const from = { kind: 'part', layer: ARM, part: 'rightArm' } as const;
    perform(editor, copyTheWeight, from);
    perform(editor, pasteTheWeight, [{ kind: 'part', layer: LEAN, part: 'head' }]);
    expect(layer(LEAN).mask?.head).toEqual(layer(ARM).mask?.rightArm);
  });

  it('hands over from what is below, and refuses what has no sense', () => {
    const wish = { range: [20, 40], rises: true, byPart: false } as const;
    pick(ARM);
    expect(perform(editor, handOverLayers, wish)).toBe(true);
    pick(LEAN, ARM);
    expect(refusalOf(editor, handOverLayers, wish)?.reason).toMatch(/two modes/);
    pick(LEAN, ARM, GLANCE);
    expect(refusalOf(editor, handOverLayers, wish)?.reason).toMatch(/Two layers/);
    perform(editor, pickLayer, { layer: BASE, how: 'alone' });
    expect(refusalOf(editor, handOverLayers, wish)?.reason).toMatch(/nothing below/);
  });

  it('offers to keep the motion where a mode is switched, and says how well it was kept', () => {
    const said = () => notices.getState().kept;
    notify({ title: 'is heard' });
    perform(editor, changeMode, { layer: GLANCE, mode: 'override' });
    expect(said().at(-1)!.title).toMatch(/is override now/);
    said().at(-1)!.action?.run();
    expect(said().at(-1)!.title).toMatch(/kept to within/);
    expect(layer(GLANCE).mode).toBe('override');
    expect(refusalOf(editor, convert, { layer: GLANCE, mode: 'override' })?.reason).toMatch(/already/);
    // Bringing together what does not go together exactly asks first.
    pick(ARM);
    expect(refusalOf(editor, joinBelow, { anyway: false })?.reason).toMatch(/two modes/);
  });

  it('clears layers and deletes those that do nothing', () => {
    pick(LEAN, GLANCE);
    perform(editor, clearPicked, undefined);
    expect(layer(LEAN).content.kind).toBe('nothing');
    expect(refusalOf(editor, clearPicked, undefined)?.reason).toMatch(/nothing on it/);
    perform(editor, deleteIdle, undefined);
    expect(project().layers.map(({ id }) => id)).toEqual([BASE, ARM]);
    expect(refusalOf(editor, deleteIdle, undefined)).toBeDefined();
  });

  it('splits, renames and merges parts of the character, each as one step', () => {
    const chest = project().rig.joints.findIndex(({ name }) => name === 'Chest');
    perform(editor, setView, { picked: [chest] });
    perform(editor, splitPart, undefined);
    expect(project().parts[chest]).toBe('part 1');
    expect(refusalOf(editor, splitPart, undefined)?.reason).toMatch(/first joint/);
    perform(editor, renameThePart, { from: 'part 1', to: 'rib cage' });
    expect(refusalOf(editor, renameThePart, { from: 'rib cage', to: 'head' })?.reason).toMatch(/already/);
    perform(editor, mergePart, { from: 'rib cage', into: 'torso' });
    expect(project().parts).toEqual(demo.parts);
    for (let k = 0; k < 3; k++) perform(editor, undo, undefined);
    expect(project()).toBe(demo);
  });

  it('keeps a video in step: so many seconds from where it starts, held at its ends', () => {
    const video = { name: '', kind: 'video', place: 'box', opacity: 1, offset: 10, from: 2, to: 5 } as const;
    const at = (speed: number) => [0, 10, 40, 200].map((frame) => secondOf({ ...video, speed }, frame, 30));
    expect(at(1)).toEqual([2, 2, 3, 5]);
    expect(at(0.5)).toEqual([2, 2, 2.5, 5]);
  });
});
