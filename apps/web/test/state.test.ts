import { curveAtAddress, type KeyPick, keyed, layerById, newKey, newLayer, type Project } from '@evlay/core';
import {
  addTakes,
  deleteLayers,
  keyPose,
  keyValue,
  renameProject,
  setContacts,
  setMaking,
  setRange,
  setValue,
  wantedMaking,
} from '@evlay/core/edit';
import type { Made } from '@evlay/core/format';
import { makingKey } from '@evlay/core/make';
import { CONTACT_LIMITS } from '@evlay/core/take';
import fc from 'fast-check';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { perform, refusalOf } from '../src/commands/command.js';
import {
  copyKeys,
  deleteKeys,
  moveKeys,
  nudgeLater,
  pasteCopied,
  pickKeys,
  pickKeysBefore,
  pickNextKeys,
  raiseKeys,
} from '../src/commands/keys/keys.js';
import { keyLitWeight, setValues } from '../src/commands/keys/values.js';
import { keySeen, tryPose } from '../src/commands/poses/pose.js';
import { redo, rename, undo } from '../src/commands/project/project.js';
import { makeAgain } from '../src/commands/scene/takes.js';
import { LAYER_SHORTCUTS, PROJECT_SHORTCUTS, TRANSPORT_SHORTCUTS } from '../src/commands/shortcuts.js';
import { changeMode } from '../src/commands/stack/converting.js';
import { addAdditiveLayer, removeLayer, toggleLock } from '../src/commands/stack/layers.js';
import { togglePlay } from '../src/commands/view/transport.js';
import { chooseHandle, playAlone } from '../src/commands/view/view.js';
import { otherStage, projectBelow } from '../src/editor/compare.js';
import { createEditor, type Editor } from '../src/editor/editor.js';
import { createHistory } from '../src/editor/history.js';
import { beginGesture, startDrag } from '../src/gestures/gesture.js';
import { followMakings, type MakeSamples } from '../src/jobs/making.js';
import { projectOf } from './subject.js';

const fresh = projectOf(11);
const base = fresh.layers[0].id;
let editor: Editor;

beforeEach(() => {
  editor = createEditor(fresh);
});

const project = () => editor.history.project();
const past = () => editor.history.store.getState().past;

const withLayer = () => {
  perform(editor, addAdditiveLayer, undefined);
  return project().layers[1].id;
};

describe('what could not be read back', () => {
  const many = newLayer('many', 'additive', {
    content: keyed({ Head: { rx: { keys: Array.from({ length: 400_001 }, (_, k) => newKey(k, 0)) } } }),
  });
  const grow = (project: Project): Project => ({ ...project, layers: [...project.layers, many] });

  it('is made neither by a command nor in a drag nor by a job, and that is told, of a drag once', () => {
    const { history, kept } = createEditor(projectOf(6));
    const told: string[] = [];
    kept.onRefused((reason) => told.push(reason));
    const before = history.project();
    history.edit(grow);
    kept.edit(grow);
    const mark = history.mark();
    for (let move = 0; move < 5; move++) mark.change(grow);
    mark.commit();
    expect(history.project()).toBe(before);
    expect(told).toEqual(Array(3).fill(expect.stringMatching(/400,001 keys, and up to 400,000/)));
    // What is too large already can be made smaller, and renamed.
    const open = createEditor(grow(projectOf(6)));
    open.history.edit((project) => renameProject(project, 'large'));
    open.history.edit((project) => ({ ...project, layers: project.layers.slice(0, 1) }));
    expect([open.history.project().name, open.history.project().layers.length]).toEqual(['large', 1]);
  });
});

describe('the history', () => {
  it('is a list of states with a place in it, whatever is done, gestures among it', () => {
    const name = fc.string({ minLength: 1 });
    const step = fc.oneof(
      fc.record({ kind: fc.constant('edit' as const), name, step: fc.nat(2) }),
      fc.record({ kind: fc.constant('gesture' as const), names: fc.array(name), kept: fc.boolean() }),
      fc.record({ kind: fc.constantFrom('undo' as const, 'redo' as const) }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const history = createHistory(fresh);
        const symbols = [undefined, Symbol('a'), Symbol('b')];
        // The model: names one after the other, where we are, and the step that goes on.
        let names = [fresh.name];
        let at = 0;
        let going: symbol | undefined;
        const named = (wanted: string) => wanted.trim() || history.project().name;
        for (const s of steps) {
          if (s.kind === 'edit') {
            const after = named(s.name);
            if (after === names[at]) continue;
            history.edit((p) => renameProject(p, s.name), symbols[s.step]);
            if (symbols[s.step] === undefined || symbols[s.step] !== going) at++;
            names = [...names.slice(0, at), after];
            going = symbols[s.step];
          } else if (s.kind === 'gesture') {
            const mark = history.mark();
            for (const wanted of s.names) mark.change((p) => renameProject(p, wanted));
            const after = history.project().name;
            expect(history.settled().name).toBe(names[at]);
            if (s.kept) mark.commit();
            else mark.cancel();
            if (s.kept && after !== names[at]) names = [...names.slice(0, ++at), after];
            going = undefined;
          } else {
            const to = Math.min(names.length - 1, Math.max(0, at + (s.kind === 'undo' ? -1 : 1)));
            history[s.kind]();
            if (to !== at) going = undefined;
            at = to;
          }
          const state = history.store.getState();
          expect(state.project.name).toBe(names[at]);
          expect(state.past.map((p) => p.name)).toEqual(names.slice(0, at));
          expect(state.future.map((p) => p.name)).toEqual(names.slice(at + 1));
        }
      }),
    );
  });

  it('puts what arrives in the middle of a gesture before it, whether it is kept or not', () => {
    const arrived = { ...projectOf(4, 'arrived').takes[0], id: 'arrived', name: 'arrived' };
    for (const kept of [true, false]) {
      const { history } = createEditor(fresh);
      const mark = history.mark();
      mark.change((p) => setRange(p, 2, 7));
      history.edit((p) => addTakes(p, [arrived]));
      mark.change((p) => setRange(p, 3, 8));
      if (kept) mark.commit();
      else mark.cancel();
      expect(history.project().takes).toContain(arrived);
      expect(history.project().range).toEqual(kept ? [3, 8] : [0, 10]);
      if (kept) history.undo();
      expect([history.project().range, history.project().takes.length]).toEqual([[0, 10], 2]);
      history.undo();
      expect(history.project()).toBe(fresh);
    }
    // What makes ids while something is dragged makes the same ones before the drag and in it.
    const { history: other } = createEditor(fresh);
    const drag = other.mark();
    drag.change((p) => setRange(p, 3, 9));
    other.edit((p) => ({ ...p, layers: [...p.layers, newLayer('New', 'additive')] }));
    const idsIn = (p: Project) => p.layers.map(({ id }) => id);
    expect(idsIn(other.project())).toHaveLength(2);
    expect(idsIn(other.project())).toEqual(idsIn(other.settled()));
    drag.cancel();
    // A gesture that changes nothing is no step, whatever has arrived.
    const { history } = createEditor(fresh);
    const mark = history.mark();
    history.edit((p) => addTakes(p, [arrived]));
    mark.commit();
    expect(history.store.getState().past).toEqual([fresh]);
  });
});

describe('an editor', () => {
  it('stands beside another: edits, undo, selection and playhead do not meet', () => {
    const other = createEditor(projectOf(31, 'other'));
    const before = { project: other.history.project(), session: other.session.getState() };
    const id = withLayer();
    editor.session.setState({ picked: [1] });
    editor.transport.goTo(7);
    expect(other.history.project()).toBe(before.project);
    expect(other.session.getState()).toBe(before.session);
    expect(other.playhead.get()).toBe(0);
    other.transport.goTo(25);
    perform(other, undo, undefined);
    expect([editor.playhead.get(), project().layers[1].id]).toEqual([7, id]);
    expect(editor.stage.get().stack.layers.length).toBe(2);
    expect(other.stage.get().stack.layers.length).toBe(1);
    editor.dispose();
    other.transport.goTo(26);
    expect(other.stage.get().frame).toBe(26);
  });

  it('keeps its session true to the project, also by undo', () => {
    const id = withLayer();
    expect(editor.session.getState().lit).toBe(id);
    perform(editor, keyLitWeight, undefined);
    const weight = { kind: 'weight', layer: id } as const;
    const key = curveAtAddress(layerById(project(), id)!, weight)!.keys[0].id;
    perform(editor, pickKeys, { picks: [{ address: weight, keys: [key] }], more: false });
    perform(editor, undo, undefined);
    expect(editor.session.getState().keys).toEqual([]);
    perform(editor, undo, undefined);
    expect(editor.session.getState().lit).toBe(base);
    perform(editor, redo, undefined);
    editor.session.light(id);
    editor.history.edit((p) => deleteLayers(p, [id]));
    expect(editor.session.getState().lit).toBe(base);
  });

  it('keeps the playhead inside a range that shrinks, and on whole frames', () => {
    editor.transport.goTo(8.4);
    expect(editor.playhead.get()).toBe(8);
    editor.history.edit((p) => setRange(p, 2, 5));
    expect(editor.playhead.get()).toBe(5);
    editor.transport.goTo(-20);
    expect(editor.playhead.get()).toBe(2);
  });

  it('runs one clock, however quickly it is paused and played', () => {
    const frames: FrameRequestCallback[] = [];
    vi.stubGlobal('requestAnimationFrame', (call: FrameRequestCallback) => frames.push(call));
    for (let k = 0; k < 5; k++) perform(editor, togglePlay, undefined);
    const waiting = frames.splice(0);
    for (const call of waiting) call(performance.now());
    expect(frames.length).toBe(1);
    vi.unstubAllGlobals();
  });

  it('shows the project at the playhead, with a pose that is tried and not keyed, once a frame', () => {
    const id = withLayer();
    editor.history.edit((p) => setValue(p, { kind: 'weight', layer: id }, 0, 1));
    editor.playhead.set(4);
    const head = fresh.rig.joints.findIndex((joint) => joint.name === 'Head');
    const rotation = () => [...editor.stage.get().pose.rotations.subarray(4 * head, 4 * head + 4)];
    const still = rotation();
    let told = 0;
    const stop = editor.stage.subscribe(() => told++);
    editor.session.setState({ trial: { layer: id, values: { Head: { rx: 30 } } } });
    const dot = Math.abs(still.reduce((sum, value, k) => sum + value * rotation()[k], 0));
    expect((2 * Math.acos(Math.min(1, dot)) * 180) / Math.PI).toBeCloseTo(30, 6);
    expect(project().layers[1].content).toEqual({ kind: 'nothing' });
    editor.session.setState({ trial: undefined });
    expect(rotation()).toEqual(still);
    editor.playhead.set(5);
    editor.playhead.set(5);
    stop();
    editor.playhead.set(6);
    expect(told).toBe(3);
  });

  it('shows the chosen take alone while Takes is open, and the stack again after it', () => {
    const long = { ...projectOf(31, 'long').takes[0], name: 'long' };
    editor.history.edit((p) => addTakes(p, [long]));
    editor.session.setState({ take: long.id, previewing: true });
    const seen = () => editor.seen.getState().project;
    expect(seen().layers.map(({ name }) => name)).toEqual(['long']);
    editor.transport.goTo(25);
    expect([editor.playhead.get(), editor.stage.get().project]).toEqual([25, seen()]);
    // Moves of a contact compile nothing.
    const compiled = editor.stage.get().stack.layers[0];
    for (let k = 0; k < 20; k++)
      editor.history.edit((p) =>
        setContacts(p, long.id, {
          limits: CONTACT_LIMITS,
          joints: [],
          spans: [{ joint: 'Head', from: k, to: 30 }],
        }),
      );
    expect(editor.stage.get().stack.layers[0]).toBe(compiled);
    editor.session.setState({ previewing: false });
    expect(seen()).toBe(project());
    editor.transport.goTo(25);
    expect(editor.playhead.get()).toBe(10);
    // One on another skeleton is seen on that.
    const strange = {
      ...long,
      id: 'strange',
      rig: { joints: long.rig.joints.map((joint) => ({ ...joint, name: `x ${joint.name}` })) },
    };
    editor.history.edit((p) => addTakes(p, [strange]));
    editor.session.setState({ take: 'strange', previewing: true });
    expect(seen().rig).toBe(strange.rig);
    // Undone, the take is gone: what is seen is the project.
    perform(editor, undo, undefined);
    expect(seen()).toBe(project());
  });
});

describe('commands', () => {
  it('that change a layer are refused while it is locked, whichever they are, with a way on', () => {
    const id = withLayer();
    perform(editor, keyLitWeight, undefined);
    const weight = { kind: 'weight', layer: id } as const;
    const picks: KeyPick[] = [
      { address: weight, keys: curveAtAddress(layerById(project(), id)!, weight)!.keys.map((key) => key.id) },
    ];
    perform(editor, pickKeys, { picks, more: false });
    perform(editor, toggleLock, id);
    const locked = project();
    const tries = [
      () => perform(editor, keyLitWeight, undefined),
      () => perform(editor, keySeen, undefined),
      () => perform(editor, deleteKeys, undefined),
      () => perform(editor, removeLayer, id),
      () => perform(editor, changeMode, { layer: id, mode: 'override' }),
      () => perform(editor, moveKeys, { picks, by: 3 }),
      () => perform(editor, setValues, [{ address: weight, value: 0.2 }]),
      () => beginGesture(editor, setValues, [{ address: weight, value: 0.2 }]),
    ];
    for (const attempt of tries) {
      expect(attempt()).toBeFalsy();
      expect(project()).toBe(locked);
    }
    const refusal = refusalOf(editor, removeLayer, id)!;
    expect(refusal.reason).toMatch(/is locked/);
    refusal.remedy!.run();
    expect(refusalOf(editor, removeLayer, id)).toBeUndefined();
    expect(perform(editor, removeLayer, id)).toBe(true);
  });

  it('change nothing where the project can only be looked at', () => {
    const looking = createEditor(fresh, { looking: true });
    expect(perform(looking, addAdditiveLayer, undefined)).toBe(false);
    expect(looking.history.project()).toBe(fresh);
    expect(refusalOf(looking, togglePlay, undefined)).toBeUndefined();
  });

  it('that are done during a gesture end it first', () => {
    const id = withLayer();
    const weight = { kind: 'weight', layer: id } as const;
    const steps = past().length;
    let kept: boolean | undefined;
    const gesture = beginGesture(editor, setValues, [{ address: weight, value: 1 }], (is) => {
      kept = is;
    })!;
    gesture.to([{ address: weight, value: 0.5 }]);
    gesture.to([{ address: weight, value: 0.3 }]);
    perform(editor, keyLitWeight, undefined);
    expect([kept, editor.gesture]).toEqual([true, undefined]);
    gesture.to([{ address: weight, value: 0.9 }]);
    expect(curveAtAddress(layerById(project(), id)!, weight)!.keys[0].value).toBe(0.3);
    expect(past().length).toBe(steps + 2);
  });

  it('that try a pose go back with the gesture', () => {
    withLayer();
    const head = fresh.rig.joints.findIndex((joint) => joint.name === 'Head');
    const posing = new Map([[head, { rotation: [0, 0, 0, 1] }]]);
    const gesture = beginGesture(editor, tryPose, posing)!;
    gesture.to(posing);
    expect(editor.session.getState().trial).toBeDefined();
    gesture.cancel();
    expect(editor.session.getState().trial).toBeUndefined();
  });

  it('copy and paste keys, or say why not; the keyboard picks and moves them', () => {
    const id = withLayer();
    for (const command of [copyKeys, pasteCopied, deleteKeys, nudgeLater])
      expect(refusalOf(editor, command, undefined)?.reason).toMatch(/No key/);
    expect(refusalOf(editor, pickNextKeys, undefined)?.reason).toMatch(/has no keys/);
    const of = { kind: 'weight', layer: id } as const;
    editor.history.edit((p) => keyValue(keyValue(p, of, 2, 0.2), of, 5, 0.6));
    const keys = () => {
      const layer = layerById(project(), id);
      return (layer && curveAtAddress(layer, of))!.keys.map(({ frame, value }) => [frame, value]);
    };
    perform(editor, pickNextKeys, undefined);
    perform(editor, pickNextKeys, undefined);
    perform(editor, nudgeLater, undefined);
    perform(editor, raiseKeys, undefined);
    expect(keys()).toEqual([
      [2, 0.2],
      [6, expect.closeTo(0.65)],
    ]);
    perform(editor, copyKeys, undefined);
    editor.playhead.set(9);
    perform(editor, pasteCopied, undefined);
    expect(keys()[2]).toEqual([9, expect.closeTo(0.65)]);
    perform(editor, pickKeysBefore, undefined);
    perform(editor, deleteKeys, undefined);
    expect(keys().map(([frame]) => frame)).toEqual([2, 9]);
  });

  it('play a layer alone over the base or over rest, and bring all back; nothing in the project changes', () => {
    const one = withLayer();
    withLayer();
    const two = project().layers[2].id;
    const live = () => [...editor.stage.get().stack.live];
    const before = project();
    const layers = before.layers.map(({ id }) => id);
    const on = (...ids: string[]) => layers.map((id) => ids.includes(id));
    perform(editor, playAlone, { layer: one, rest: false });
    expect(live().map(Boolean)).toEqual(on(base, one));
    perform(editor, playAlone, { layer: two, rest: true });
    expect(live().map(Boolean)).toEqual(on(two));
    perform(editor, playAlone, { layer: two, rest: true });
    expect(live().map(Boolean)).toEqual(on(...layers));
    expect(project()).toBe(before);
  });

  it('light the layer that an undo or a redo changes', () => {
    const one = withLayer();
    withLayer();
    const two = project().layers[2].id;
    perform(editor, setValues, [{ address: { kind: 'weight', layer: one }, value: 0.3 }]);
    perform(editor, setValues, [{ address: { kind: 'weight', layer: two }, value: 0.4 }]);
    const lit = () => editor.session.getState().lit;
    const went = [undo, undo, redo, redo].map((command) => {
      perform(editor, command, undefined);
      return lit();
    });
    expect(went).toEqual([two, one, one, two]);
  });

  it('that key an additive layer for the first time ask once how long that holds', () => {
    const id = withLayer();
    const asked = () => editor.session.getState().asked;
    editor.history.edit((p) => keyPose(p, id, 3, { Head: { rx: 20 } }));
    expect(asked()).toBe(id);
    editor.history.edit((p) => keyPose(p, id, 7, { Head: { rx: 0 } }));
    expect(asked()).toBeUndefined();
    perform(editor, undo, undefined);
    expect(asked()).toBeUndefined();
  });

  it('ask once before bones stretch', () => {
    withLayer();
    editor.session.setState({ picked: [1] });
    const asked = refusalOf(editor, chooseHandle, 'scale');
    expect(asked?.reason).toMatch(/stretches bones/);
    expect(refusalOf(editor, chooseHandle, 'move')?.reason).toMatch(/stretches bones/);
    asked?.remedy?.run();
    expect(editor.session.getState()).toMatchObject({ handle: 'scale', stretching: true });
    expect(refusalOf(editor, chooseHandle, 'move')).toBeUndefined();
    editor.session.setState({ stretching: false, handle: 'turn' });
    // The root moves itself, and the trunk comes after the head.
    for (const joint of [0, 2]) {
      editor.session.setState({ picked: [joint] });
      expect(refusalOf(editor, chooseHandle, 'move')).toBeUndefined();
    }
  });

  it('with shortcuts have each one of its own and a name of its own', () => {
    const all = [...PROJECT_SHORTCUTS, ...TRANSPORT_SHORTCUTS, ...LAYER_SHORTCUTS];
    const keys = all.flatMap((command) => command.shortcut!.split(', '));
    expect(new Set(keys).size).toBe(keys.length);
    expect(new Set(all.map(({ name }) => name)).size).toBe(all.length);
  });
});

describe('the making of takes', () => {
  /** A maker that answers when it is told to. */
  const later = () => {
    const asked: { rate: number | undefined; answer: () => void }[] = [];
    const make: MakeSamples = (take, source) =>
      new Promise((resolve) => {
        const { id: _, name: __, contacts: ___, ...samples } = projectOf(take.made?.rate ?? 1).takes[0];
        const rate = take.made?.rate;
        asked.push({
          rate,
          answer: () => resolve({ ...samples, madeBy: makingKey(take, source) }),
        });
      });
    return { asked, make };
  };
  const settle = () => new Promise((resolve) => setTimeout(resolve));
  const [take] = fresh.takes;
  const to = (rate: number) => editor.history.edit((p) => setMaking(p, take.id, { rate }, 'made'));
  const made = () => project().takes.find(({ id }) => id === 'made')!;

  it('goes one at a time, drops what is outdated, and keeps what was asked for last', async () => {
    const { asked, make } = later();
    const makings = followMakings(editor, make);
    to(5);
    to(6);
    to(7);
    expect(asked.map(({ rate }) => rate)).toEqual([5]);
    asked[0].answer();
    await settle();
    // What was made meanwhile is not wanted by the last state; it is, by the first.
    expect(made().count).toBe(take.count);
    expect(asked.map(({ rate }) => rate)).toEqual([5, 7]);
    asked[1].answer();
    await settle();
    expect([made().made!.rate, made().count]).toEqual([7, 7]);
    editor.history.undo();
    editor.history.undo();
    expect([made().made!.rate, made().count]).toEqual([5, 5]);
    makings.stop();
  });

  it('is asked for again where it was cancelled, and not where it was refused', async () => {
    const answers: (Made | undefined | Error)[] = [undefined, new Error('too long'), new Error('too short')];
    let asked = 0;
    const makings = followMakings(editor, async () => {
      asked++;
      const answer = answers.shift();
      if (answer instanceof Error) throw answer;
      return answer;
    });
    to(5);
    await makings.settled();
    expect([asked, made().count]).toEqual([2, take.count]);
    // Why is known as long as these steps ask for it; others are tried.
    const refusal = () => editor.session.getState().unmade.get(wantedMaking(project(), made())!);
    expect(refusal()).toBe('too long');
    to(6);
    await makings.settled();
    expect([asked, refusal()]).toEqual([3, 'too short']);
    editor.history.undo();
    expect(refusal()).toBe('too long');
    // And these once more where it is wished.
    answers.push(new Error('still too long'));
    perform(editor, makeAgain, made().id);
    await makings.settled();
    expect([asked, refusal()]).toEqual([4, 'still too long']);
    makings.stop();
  });

  it('reaches a gesture that is under way, and is no step of undo', async () => {
    const { asked, make } = later();
    const makings = followMakings(editor, make);
    to(5);
    const steps = past().length;
    const mark = editor.history.mark();
    mark.change((p) => setRange(p, 1, 9));
    asked[0].answer();
    await settle();
    mark.change((p) => setRange(p, 2, 8));
    expect(made().count).toBe(5);
    mark.cancel();
    expect([made().count, project().range, past().length]).toEqual([5, [0, 10], steps]);
    makings.stop();
  });
});

describe('a step of undo', () => {
  it('says what was done, by commands and by drags, also when samples have come meanwhile', () => {
    const own = createEditor(fresh);
    const { kept, history } = own;
    expect(kept.doneTo(kept.project())).toBeUndefined();
    perform(own, rename, 'Second');
    expect(kept.doneTo(kept.project())).toBe('Rename the project');
    const mark = history.mark('Set the range');
    mark.change((p) => setRange(p, 1, 9));
    mark.change((p) => setRange(p, 2, 8));
    mark.commit();
    expect(kept.doneTo(kept.project())).toBe('Set the range');
    kept.fill((p) => ({ ...p }));
    expect(kept.doneTo(kept.project())).toBe('Set the range');
    kept.undo();
    expect(kept.doneTo(kept.project())).toBe('Rename the project');
    expect(kept.doneTo(kept.store.getState().future[0])).toBe('Set the range');
  });
});

describe('what comes late or is lost', () => {
  it('changes nothing of a project that another tab has taken over, and says so', () => {
    const { kept, history, session } = createEditor(fresh);
    const told: string[] = [];
    kept.onRefused((reason) => told.push(reason));
    session.setState({ looking: true });
    history.edit((p) => renameProject(p, 'Late'));
    const mark = history.mark();
    mark.change((p) => renameProject(p, 'Later'));
    mark.commit();
    expect([history.project().name, told.length]).toEqual([fresh.name, 2]);
  });

  it('is a press that does something at once and never moves: it is kept where it is let go of, and else taken back', () => {
    vi.stubGlobal('window', new EventTarget());
    for (const [name, kept] of [
      ['pointerup', true],
      ['pointercancel', false],
    ] as const) {
      const own = createEditor(fresh);
      const press = { clientX: 0, clientY: 0, pointerId: 3 } as Parameters<typeof startDrag>[1];
      const address = { kind: 'weight', layer: base } as const;
      startDrag(own, press, { command: setValues, to: () => [], atOnce: [{ address, value: 0.4 }] });
      expect([own.gesture === undefined, own.history.project().layers[0].weight]).toEqual([false, 0.4]);
      window.dispatchEvent(Object.assign(new Event(name), { pointerId: 3 }));
      expect([own.gesture, own.history.project().layers[0].weight]).toEqual([undefined, kept ? 0.4 : 1]);
      expect(own.kept.store.getState().mark).toBeUndefined();
    }
    vi.unstubAllGlobals();
  });

  it('is compiled once for all figures that show it', () => {
    const own = createEditor({ ...fresh, layers: [...fresh.layers, newLayer('Upper', 'additive')] });
    const first = projectBelow(own);
    expect(projectBelow(own)).toBe(first);
    const [one, two] = [
      otherStage(own, () => projectBelow(own)),
      otherStage(own, () => projectBelow(own), 4),
    ];
    expect(two.get().stack).toBe(one.get().stack);
    const around = otherStage(own, () => own.seen.getState().project, 2);
    expect(around.get().stack).toBe(own.stage.get().stack);
    for (const stage of [one, two, around]) stage.stop();
  });
});
