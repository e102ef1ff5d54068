import { setWeight } from '@evlay/core';
import { addLayer, addTakes, deleteLayer, renameProject, setRange } from '@evlay/core/edit';
import fc from 'fast-check';
import { beforeEach, describe, expect, it } from 'vitest';
import { goTo, playhead } from '../src/state/playhead.js';
import { currentProject, edit, openProject, projectStore, redo, undo } from '../src/state/project-store.js';
import { seenProject } from '../src/state/seen.js';
import { sessionFollowsProject } from '../src/state/session-follows.js';
import { light, NOTHING, resetSession, sessionStore, setSession } from '../src/state/session-store.js';
import { stage } from '../src/state/stage.js';
import { projectOf } from './subject.js';

sessionFollowsProject();

const fresh = projectOf(11);
const base = fresh.layers[0].id;

beforeEach(() => {
  playhead.set(0);
  openProject('one', fresh);
  resetSession(base);
});

const withLayer = () => {
  edit((project) => addLayer(project, { mode: 'additive', above: base, joints: [], frame: 0 }).project);
  const { id } = currentProject().layers[1];
  light(id);
  return id;
};

describe('the history', () => {
  it('is a list of states with a place in it, whatever is done', () => {
    const step = fc.oneof(
      fc.record({ kind: fc.constant('edit' as const), name: fc.string({ minLength: 1 }), drag: fc.nat(2) }),
      fc.record({ kind: fc.constant('undo' as const) }),
      fc.record({ kind: fc.constant('redo' as const) }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        openProject('one', fresh);
        const drags = [undefined, Symbol('a'), Symbol('b')];
        // The model: names one after the other, where we are, and the drag that goes on.
        let names = [fresh.name];
        let at = 0;
        let going: symbol | undefined;
        for (const s of steps) {
          if (s.kind === 'edit') {
            const drag = drags[s.drag];
            const before = currentProject();
            edit((project) => renameProject(project, s.name), drag);
            if (currentProject() === before) continue;
            const after = currentProject().name;
            if (drag === undefined || drag !== going) at++;
            names = [...names.slice(0, at), after];
            going = drag;
          } else {
            const to = Math.min(names.length - 1, Math.max(0, at + (s.kind === 'undo' ? -1 : 1)));
            if (s.kind === 'undo') undo();
            else redo();
            if (to !== at) going = undefined;
            at = to;
          }
          expect(currentProject().name).toBe(names[at]);
          expect(projectStore.getState().past.map((project) => project.name)).toEqual(names.slice(0, at));
          expect(projectStore.getState().future.map((project) => project.name)).toEqual(names.slice(at + 1));
        }
      }),
    );
  });

  it('does not grow by an edit that changes nothing', () => {
    edit((project) => project);
    expect(projectStore.getState().past).toEqual([]);
  });
});

describe('the session follows the project', () => {
  it('lights a layer that is there when the lit one goes, also by undo', () => {
    const id = withLayer();
    expect(sessionStore.getState().lit).toBe(id);
    setSession({ selection: { kind: 'keys', frames: [0], ids: [] } });
    undo();
    expect(sessionStore.getState().lit).toBe(base);
    expect(sessionStore.getState().selection).toEqual(NOTHING);
    redo();
    light(id);
    edit((project) => deleteLayer(project, id));
    expect(sessionStore.getState().lit).toBe(base);
  });

  it('keeps the playhead inside a range that shrinks, and on whole frames', () => {
    goTo(8.4);
    expect(playhead.get()).toBe(8);
    edit((project) => setRange(project, 2, 5));
    expect(playhead.get()).toBe(5);
    goTo(-20);
    expect(playhead.get()).toBe(2);
  });
});

describe('the stage', () => {
  it('shows the project at the playhead, with a pose that is tried and not keyed', () => {
    const id = withLayer();
    edit((project) => setWeight(project, { layer: id }, 0, 1));
    playhead.set(4);
    const head = fresh.rig.joints.findIndex((joint) => joint.name === 'Head');
    const still = [...stage.get()!.pose.rotations.subarray(4 * head, 4 * head + 4)];
    setSession({ trial: { layer: id, values: { Head: { rx: 30 } } } });
    const tried = [...stage.get()!.pose.rotations.subarray(4 * head, 4 * head + 4)];
    const dot = Math.abs(still.reduce((sum, value, k) => sum + value * tried[k], 0));
    expect((2 * Math.acos(Math.min(1, dot)) * 180) / Math.PI).toBeCloseTo(30, 6);
    expect(currentProject().layers[1].channels).toEqual({});
    setSession({ trial: undefined });
    expect([...stage.get()!.pose.rotations.subarray(4 * head, 4 * head + 4)]).toEqual(still);
  });

  it('tells its listeners once a frame', () => {
    let told = 0;
    const stop = stage.subscribe(() => {
      told++;
    });
    playhead.set(3);
    playhead.set(3);
    playhead.set(4);
    stop();
    playhead.set(5);
    expect(told).toBe(2);
  });
});

describe('what is seen', () => {
  const preview = () => seenProject()!;

  it('is the chosen take alone while Takes is open, and the stack again after it', () => {
    withLayer();
    const long = { ...projectOf(31, 'long').takes[0], name: 'long' };
    edit((project) => addTakes(project, [long]));
    setSession({ take: long.id, previewing: true });
    expect(preview().layers.map(({ name }) => name)).toEqual(['long']);
    expect(preview().range).toEqual([0, 30]);
    goTo(25);
    expect(playhead.get()).toBe(25);
    expect(stage.get()!.project).toBe(preview());
    setSession({ previewing: false });
    expect(preview()).toBe(currentProject());
    goTo(25);
    expect(playhead.get()).toBe(10);
  });

  it('of a take on another skeleton is that skeleton', () => {
    const other = projectOf(6, 'other').takes[0];
    const strange = {
      ...other,
      rig: { joints: other.rig.joints.map((joint) => ({ ...joint, name: `x ${joint.name}` })) },
    };
    edit((project) => addTakes(project, [strange]));
    setSession({ take: strange.id, previewing: true });
    expect(preview().rig).toBe(strange.rig);
    expect(preview().character).toBeUndefined();
    // Undone, the take is gone: what is seen is the project.
    undo();
    expect(preview()).toBe(currentProject());
    setSession({ previewing: false });
  });
});
