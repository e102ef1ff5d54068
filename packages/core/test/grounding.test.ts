import fc from 'fast-check';
import { Quaternion } from 'three';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { planMerge } from '../src/bake/index.js';
import {
  addProp,
  addTarget,
  contactsToTargets,
  convertLayer,
  deleteLayers,
  dragTarget,
  extraJoints,
  heldKeysRefusal,
  heldKeysSteps,
  keepContacts,
  modeRefusal,
  movePropAsJoint,
  placeLayers,
  projectFromTake,
  removeProp,
  renameProp,
  setTargetSpace,
  setTargetToward,
  writeScalar,
} from '../src/edit/index.js';
import { readProject, readTake, writeProject } from '../src/format/index.js';
import {
  compileStack,
  contactsOf,
  evaluateStack,
  finished,
  type HeldContacts,
  holding,
  keyed,
  type Layer,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Prop,
  playing,
  restPose,
  type Take,
  targetsOf,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { angleBetween } from '../src/math/index.js';
import { compiledLimbs, jointIndex, placePose, pointInWorld, rigHeight } from '../src/rig/index.js';
import { scaledLengths } from '../src/take/index.js';
import { anyGroundedProject } from './any-ground.js';
import { captureBytes } from './capture.js';

const seen = (project: Project, frame: number) => {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return placePose(project.rig, pose);
};
const placeOf = (project: Project, frame: number, joint: string) => {
  const j = jointIndex(project.rig, joint);
  return [...seen(project, frame).matrices.subarray(16 * j + 12, 16 * j + 15)];
};
const apart = (a: readonly number[], b: readonly number[]) => Math.hypot(...a.map((v, k) => v - b[k]));

const { take } = readTake('01_01.bvh', captureBytes());
const capture = (): Project => {
  const plain = projectFromTake(take);
  const known = { ...take, contacts: findContacts(take, plain.metresPerUnit) };
  return { ...plain, takes: [known], range: [200, 800] };
};
const millimetre = (project: Project) => 0.001 / project.metresPerUnit;

/** Additive and override layers on all joints but the legs' ends, calm as an animator's are. */
function drawnLayers(project: Project, seed: number): Layer[] {
  const next = random(seed);
  const turning = (degrees: number, joints: readonly string[]) =>
    keyed(
      Object.fromEntries(
        joints.map((joint) => [
          joint,
          {
            rx: { keys: [200, 400, 600, 800].map((frame) => newKey(frame, degrees * (2 * next() - 1))) },
            rz: { keys: [250, 500, 750].map((frame) => newKey(frame, degrees * (2 * next() - 1))) },
          },
        ]),
      ),
    );
  const names = project.rig.joints.map(({ name }) => name);
  return [
    newLayer('Lean', 'additive', { content: turning(6, ['Hips', 'LowerBack', 'Spine', 'Spine1']) }),
    newLayer('Legs', 'additive', {
      content: turning(
        5,
        names.filter((name) => /Leg$/.test(name)),
      ),
    }),
    newLayer('Arms', 'override', {
      weight: 0.6,
      content: turning(
        40,
        names.filter((name) => /Arm$/.test(name)),
      ),
    }),
  ];
}

describe('contacts that hold', () => {
  it('let feet roll as the take rolls them, whatever leans above and wherever it is placed', async () => {
    const plain = capture();
    const kept = keepContacts(plain)!;
    const [base, feet] = kept.project.layers;
    const still = { tx: 0, ty: 0, tz: 0, rx: 0, rz: 0 };
    const again = newLayer('Again', 'override', {
      content: base.content,
      placement: { pivot: [0, 0, 0], ...still, ry: 120 },
    });
    const held = contactsOf(feet)!;
    const turning = (turn: HeldContacts['turn'], like?: string): Project => ({
      ...kept.project,
      layers: [base, again, ...drawnLayers(plain, 5), { ...feet, content: holding({ ...held, turn, like }) }],
    });
    const orientation = (project: Project, frame: number, joint: string) => {
      const o = 4 * jointIndex(project.rig, joint);
      return seen(project, frame).orientations.slice(o, o + 4);
    };
    /** By how many degrees a foot is turned from where the take has it, and how far that is from a turn about Y. */
    const off = (project: Project, frame: number, joint: string) => {
      const [now, was] = [orientation(project, frame, joint), orientation(plain, frame, joint)];
      const [x, y, z, w] = new Quaternion(...now).multiply(new Quaternion(...was).invert());
      return { heading: (2 * Math.atan2(y, w) * 180) / Math.PI, tilt: Math.hypot(x, z) };
    };
    let leaned = 0;
    for (const [name, { spans }] of Object.entries(held.limbs)) {
      const limb = compiledLimbs(plain.rig, plain.limbs).find((one) => one.name === name)!;
      const foot = plain.rig.joints[limb.chain[limb.chain.length - 1]].name;
      for (const [from, to] of spans.slice(1, 4)) {
        const headings = [from, (2 * from + to) / 3, to].map((frame) => {
          leaned = Math.max(leaned, off(turning(undefined), frame, foot).tilt);
          const { heading, tilt } = off(turning(1), frame, foot);
          expect(tilt, `${foot} at ${frame}`).toBeLessThan(1e-6);
          // Half a turn back is between both.
          const half = off(turning(0.5), frame, foot).tilt;
          expect(half).toBeLessThan(0.6 * off(turning(undefined), frame, foot).tilt + 1e-6);
          expect(off(turning(1, again.id), frame, foot).heading).toBeCloseTo(heading, 6);
          return heading;
        });
        for (const heading of headings) {
          expect(heading).toBeCloseTo(headings[0], 6);
          expect(Math.abs(heading - 120), foot).toBeLessThan(8);
        }
      }
    }
    expect(leaned).toBeGreaterThan(0.02);
    // Of a layer that goes, or comes above, nothing is like it any more.
    const like = turning(1, again.id);
    const ofFeet = (project: Project) => contactsOf(project.layers.find(({ id }) => id === feet.id)!);
    expect(ofFeet(like)?.like).toBe(again.id);
    expect(ofFeet(deleteLayers(like, [again.id]))).toEqual({ ...held, turn: 1 });
    expect(ofFeet(placeLayers(like, [again.id], { above: feet.id }))).toEqual({ ...held, turn: 1 });
    // Nor is that layer merged into another, which would turn them otherwise.
    expect(planMerge(turning(1), 0, 2)).toMatch(/turns feet back as in a layer that would be merged/);
    expect(planMerge(turning(1), 2, 4)).toMatchObject({ kind: 'override' });
    expect(planMerge(like, 0, 1)).toMatchObject({ kind: 'base' });
    const read = await readProject(writeProject(like), 'Like');
    expect(ofFeet(read.project)).toEqual({ ...held, turn: 1, like: again.id });
  });

  it('keep the standing point, the lengths of bones and a smooth path of the root on a capture', () => {
    const plain = capture();
    const kept = keepContacts(plain)!;
    for (let seed = 1; seed <= 4; seed++) {
      const project: Project = {
        ...kept.project,
        layers: [kept.project.layers[0], ...drawnLayers(plain, seed), kept.project.layers[1]],
      };
      const held = contactsOf(project.layers[4])!;
      const stack = compileStack(project);
      const before = compileStack({ ...project, layers: project.layers.slice(0, 4) });
      const pose = restPose(project.rig);
      const at = (which: typeof stack, frame: number) => {
        evaluateStack(which, frame, pose);
        return placePose(project.rig, pose);
      };
      // Some frames of some spans: feet that stand.
      for (const [name, { points, spans }] of Object.entries(held.limbs)) {
        for (const [from, to] of spans.slice(0, 3)) {
          const heights = (frame: number, which: typeof stack) => {
            const { matrices } = at(which, frame);
            return points.map(({ joint, end, floor }) => {
              const j = jointIndex(project.rig, joint);
              const place = pointInWorld(
                matrices,
                j,
                end === undefined ? [0, 0, 0] : project.rig.joints[j].ends[end],
              );
              return { place, above: place[1] - floor };
            });
          };
          for (let frame = Math.ceil(from); frame + 1 <= to; frame++) {
            const [a, b] = [heights(frame, before), heights(frame + 1, before)];
            const sums = a.map(({ above }, p) => above + b[p].above);
            const p = sums.indexOf(Math.min(...sums));
            const [x, y] = [heights(frame, stack), heights(frame + 1, stack)];
            const slid = Math.hypot(x[p].place[0] - y[p].place[0], x[p].place[2] - y[p].place[2]);
            expect(slid, `${name} at ${frame}`).toBeLessThan(0.1 * millimetre(project));
            expect(Math.abs(Math.min(...x.map(({ above }) => above)))).toBeLessThan(
              0.1 * millimetre(project),
            );
            // So it is between frames, at whatever rate it is baked.
            for (const later of [0.25, 0.61]) {
              const z = heights(frame + later, stack);
              const way = Math.hypot(x[p].place[0] - z[p].place[0], x[p].place[2] - z[p].place[2]);
              expect(way, `${name} at ${frame + later}`).toBeLessThan(0.1 * millimetre(project));
              expect(Math.abs(Math.min(...z.map(({ above }) => above)))).toBeLessThan(
                0.1 * millimetre(project),
              );
            }
          }
        }
      }
      // Bones keep their lengths, and the root's path turns no faster than without (Kovar, Schreiner and Gleicher, 2002).
      const rootAt = (which: typeof stack, frame: number) => at(which, frame).matrices.slice(12, 15);
      const bend = (which: typeof stack, frame: number) =>
        [0, 1, 2].map(
          (k) => rootAt(which, frame - 1)[k] - 2 * rootAt(which, frame)[k] + rootAt(which, frame + 1)[k],
        );
      for (let frame = 210; frame < 790; frame += 3) {
        const corner = apart(bend(stack, frame), bend(before, frame));
        expect(corner).toBeLessThan(millimetre(project));
        const [a, b] = [at(before, frame).matrices.slice(), at(stack, frame).matrices.slice()];
        for (const { chain } of compiledLimbs(project.rig, project.limbs))
          for (let k = 1; k < chain.length; k++) {
            const length = (m: Float64Array) =>
              Math.hypot(...[12, 13, 14].map((o) => m[16 * chain[k] + o] - m[16 * chain[k - 1] + o]));
            expect(length(b)).toBeCloseTo(length(a), 8);
          }
      }
    }
  });

  it('become keys that add, and targets, and are seen as before', () => {
    const plain = { ...capture(), range: [200, 320] as const };
    const { project: kept, id } = keepContacts(plain)!;
    const project: Project = {
      ...kept,
      layers: [kept.layers[0], ...drawnLayers(plain, 9), kept.layers[1]],
    };
    const keys = convertLayer(project, id, { mode: 'additive', weight: 1 });
    expect(keys.length).toBeLessThan(0.5 * millimetre(project));
    const turned: Project = {
      ...project,
      layers: project.layers.map((layer) => {
        const held = contactsOf(layer);
        return held ? { ...layer, content: holding({ ...held, turn: 0.7 }) } : layer;
      }),
    };
    const turning = contactsToTargets(turned, id);
    for (let frame = 200; frame <= 320; frame += 4) {
      const [now, was] = [seen(turning, frame).orientations, seen(turned, frame).orientations];
      for (const joint of ['LeftFoot', 'RightFoot', 'LeftToeBase', 'Head'])
        expect(
          angleBetween(now, 4 * jointIndex(plain.rig, joint), was, 4 * jointIndex(plain.rig, joint)),
          `${joint} at ${frame}`,
        ).toBeLessThan(1e-3);
    }
    const targets = contactsToTargets(project, id);
    expect(targetsOf(targets.layers[4]).map(({ joint }) => joint)).toEqual(['Hips', 'LeftFoot', 'RightFoot']);
    for (let frame = 200; frame <= 320; frame += 4)
      for (const joint of ['Hips', 'LeftFoot', 'RightFoot', 'Head'])
        expect(apart(placeOf(targets, frame, joint), placeOf(project, frame, joint))).toBeLessThan(
          0.1 * millimetre(project),
        );
  });
});

describe('what is held', () => {
  const contacts = keepContacts({ ...capture(), range: [300, 420], fps: 120 })!.project;
  const hand = newTarget('RightHand', { at: { tx: 12, ty: 22, tz: -10 } });
  const held: Project = {
    ...contacts,
    layers: [
      ...contacts.layers,
      newLayer('Hand', 'override', {
        span: { start: 330, end: 400, fadeIn: 20, fadeOut: 20 },
        content: keyed({}, [hand]),
      }),
      newLayer('Nod', 'additive', { content: keyed({ Head: { rx: { keys: [newKey(300, 10)] } } }) }),
    ],
  };
  const without = (project: Project) => ({
    ...project,
    layers: project.layers.map((layer) =>
      contactsOf(layer) || targetsOf(layer).length > 0 ? { ...layer, muted: true } : layer,
    ),
  });
  const joints = ['LeftFoot', 'RightFoot', 'RightHand', 'Head'];
  const frames = [300, 333, 365, 399, 420];

  it('becomes keys on a layer of its own, after which no target is needed', () => {
    const { project, id, length } = finished(heldKeysSteps(held, []));
    expect(project.layers.at(-2)!.id).toBe(id);
    expect(length).toBeLessThan(2e-4 * rigHeight(held.rig));
    for (const frame of frames)
      for (const joint of joints) {
        const was = placeOf(held, frame, joint);
        expect(apart(placeOf(project, frame, joint), was)).toBeLessThan(2e-4 * rigHeight(held.rig));
        expect(apart(placeOf(without(project), frame, joint), was)).toBeLessThan(2e-4 * rigHeight(held.rig));
      }
  });

  it('becomes keys of some joints alone', () => {
    const arm = ['RightArm', 'RightForeArm', 'RightHand'].map((name) => jointIndex(held.rig, name));
    const { project, id } = finished(heldKeysSteps(held, [...arm, jointIndex(held.rig, 'Neck')]));
    const layer = project.layers.find((one) => one.id === id)!;
    expect(layer.content.kind === 'curves' && Object.keys(layer.content.channels).sort()).toEqual([
      'RightArm',
      'RightForeArm',
      'RightHand',
    ]);
    expect(heldKeysRefusal(held, [jointIndex(held.rig, 'Neck')])).toMatch(/None of the picked joints/);
    expect(heldKeysRefusal(without(held), [])).toMatch(/No layer that counts/);
  });
});

describe('targets', () => {
  it('that are made keep what is seen, follow a drag, and keep their motion in another space', () => {
    const joints = ['LeftHand', 'LeftFoot', 'RightFoot', 'Crate'];
    fc.assert(
      fc.property(
        anyGroundedProject,
        fc.integer({ min: 2, max: 18 }),
        fc.constantFrom(...joints),
        fc.constantFrom(undefined, 'Crate', 'Spine'),
        fc.tuple(...[0, 1, 2].map(() => fc.integer({ min: -30, max: 30 }))),
        (drawn, frame, joint, space, off) => {
          if (joint === space) return;
          const start: Project = {
            ...drawn,
            layers: drawn.layers.map((layer) => ({ ...layer, muted: layer.muted })),
          };
          const before = seen(start, frame);
          const added = addTarget(
            start,
            { joint, space, frame },
            { above: start.layers[start.layers.length - 1].id },
          );
          const after = seen(added.project, frame);
          for (let k = 0; k < after.matrices.length; k++)
            expect(Math.abs(after.matrices[k] - before.matrices[k])).toBeLessThan(2e-5);
          // Dragged towards its top a little, so that it can be reached.
          const j = jointIndex(start.rig, joint);
          const limb = compiledLimbs(start.rig, start.limbs).find(({ chain }) => chain.at(-1) === j);
          const at = [...before.matrices.subarray(16 * j + 12, 16 * j + 15)];
          const top = limb
            ? [...before.matrices.subarray(16 * limb.chain[0] + 12, 16 * limb.chain[0] + 15)]
            : at;
          const wanted = at.map((value, axis) => value + 0.3 * (top[axis] - value) + off[axis] / 1000);
          const { project: dragged, gap } = dragTarget(added.project, added.id, added.target, frame, {
            place: wanted,
          });
          expect(gap).toBeLessThan(1e-6);
          expect(apart(placeOf(dragged, frame, joint), wanted)).toBeLessThan(1e-6);
          const moved = setTargetSpace(
            dragged,
            added.id,
            added.target,
            space === undefined ? 'Crate' : undefined,
          );
          if (joint === 'Crate' && space === undefined) return;
          for (let other = 0; other <= 24; other += 3)
            expect(apart(placeOf(moved, other, joint), placeOf(dragged, other, joint))).toBeLessThan(
              3e-4 * rigHeight(start.rig),
            );
        },
      ),
      { numRuns: 60 },
    );
  });

  it('say where a knee points, and keep it where it is when that is first said', () => {
    const project = capture();
    const added = addTarget(project, { joint: 'LeftFoot', frame: 300 }, { above: project.layers[0].id });
    const pointed = setTargetToward(added.project, added.id, added.target, true, 300);
    expect(apart(placeOf(pointed, 300, 'LeftLeg'), placeOf(project, 300, 'LeftLeg'))).toBeLessThan(1e-6);
    // A point to the side takes the knee there, the foot stays.
    const aside = writeScalar(
      pointed,
      {
        kind: 'target',
        layer: added.id,
        target: added.target,
        joint: 'LeftFoot',
        field: 'toward',
        channel: 'tx',
      },
      1000,
    );
    expect(placeOf(aside, 300, 'LeftLeg')[0]).toBeGreaterThan(placeOf(project, 300, 'LeftLeg')[0]);
    expect(apart(placeOf(aside, 300, 'LeftFoot'), placeOf(project, 300, 'LeftFoot'))).toBeLessThan(1e-6);
  });

  it('keep a layer from a mode that they cannot be of', () => {
    const project = capture();
    const put = (values: object) => ({
      ...project,
      layers: [
        ...project.layers,
        newLayer('Put', 'override', {
          id: 'put',
          content: keyed({}, [newTarget('LeftFoot', { at: { tx: 0, ty: 1, tz: 0 }, ...values })]),
        }),
      ],
    });
    expect(modeRefusal(put({}), 'put', 'additive')).toBeUndefined();
    expect(modeRefusal(put({ space: 'Head' }), 'put', 'additive')).toMatch(/LeftFoot in Put: .*no space/);
    expect(modeRefusal(put({ toward: { tx: 0, ty: 0, tz: 9 } }), 'put', 'additive')).toMatch(/knee or elbow/);
    const kept = keepContacts(project)!;
    expect(modeRefusal(kept.project, kept.id, 'additive')).toMatch(/holds contacts/);
    expect(modeRefusal(kept.project, kept.id, 'override')).toBeUndefined();
  });

  it('hand a prop over without a frame in which it drops', () => {
    const project = capture();
    const at = placeOf(project, 300, 'RightHand');
    const lantern: Prop = {
      name: 'Lantern',
      shape: 'box',
      size: [2, 4, 2],
      at: [at[0], at[1] - 3, at[2]],
      turn: [0, 0, 0],
    };
    const withLantern = addProp(project, lantern);
    const hook = [at[0] + 1, at[1] + 2, at[2] + 1];
    const [hand, hung] = [
      newTarget('Lantern', { space: 'RightHand', at: { tx: 0, ty: -3, tz: 0 } }),
      newTarget('Lantern', { at: { tx: hook[0], ty: hook[1], tz: hook[2] } }),
    ];
    const crossing = { keys: [newKey(300, 0), newKey(312, 1)] };
    const layers = [
      ...withLantern.layers,
      newLayer('In the hand', 'override', { content: keyed({}, [hand]) }),
      newLayer('On the hook', 'override', { weight: crossing, content: keyed({}, [hung]) }),
    ];
    const handed = { ...withLantern, layers };
    const path = Array.from({ length: 40 }, (_, k) => placeOf(handed, 290 + k, 'Lantern'));
    const steps = path.slice(1).map((p, k) => apart(p, path[k]));
    expect(apart(path[39], hook)).toBeLessThan(1e-9);
    // No frame moves further than its neighbours allow: a smooth crossing is at most half as fast again as even.
    for (let k = 1; k + 1 < steps.length; k++)
      expect(steps[k]).toBeLessThan(1.6 * Math.max(steps[k - 1], steps[k + 1]) + millimetre(project));
    const low = Math.min(...path.map((p) => p[1]));
    expect(low).toBeGreaterThan(Math.min(path[0][1], hook[1]) - 2 * millimetre(project) * 10);
  });
});

describe('props', () => {
  it('are named anew and taken out wherever layers speak of them', () => {
    fc.assert(
      fc.property(anyGroundedProject, fc.integer({ min: 0, max: 20 }), (project, frame) => {
        const named = renameProp(project, 'Crate', 'Barrel');
        expect(JSON.stringify(named)).not.toContain('Crate');
        const [a, b] = [seen(project, frame), seen(named, frame)];
        expect([...b.matrices]).toEqual([...a.matrices]);
        expect(renameProp(project, 'Crate', 'Hips')).toBe(project);
        const gone = removeProp(named, 'Barrel');
        expect(JSON.stringify(gone)).not.toContain('Barrel');
        expect(gone.rig.joints.length).toBe(project.rig.joints.length - 1);
        expect(() => seen(gone, frame)).not.toThrow();
      }),
      { numRuns: 60 },
    );
  });

  it('move as a take has them that records a joint of their name, in its own time', () => {
    const crate: Prop = { name: 'Crate', shape: 'box', size: [4, 4, 4], at: [5, 2, 5], turn: [0, 0, 0] };
    const place = (s: number) => [0.01 * s, 2 + Math.sin(s / 40), -0.02 * s];
    const project = addProp(capture(), crate);
    const joint = project.rig.joints.at(-1)!;
    const j = take.rig.joints.length;
    const moved: Take = {
      ...take,
      id: 'moved',
      rig: { joints: [...take.rig.joints, joint] },
      translations: {
        joints: Int32Array.of(j),
        size: 3,
        values: Float64Array.from(Array.from({ length: take.count }, (_, s) => place(s)).flat()),
      },
      rotations: { joints: new Int32Array(), size: 4, values: new Float64Array() },
    };
    const layer = newLayer('Moved', 'override', {
      content: playing('moved'),
      time: { offset: 100, speed: 0.5, loop: 'none' },
    });
    const whole = { ...project, takes: [...project.takes, moved], layers: [...project.layers, layer] };
    for (const frame of [200, 301, 500]) {
      expect(apart(placeOf(whole, frame, 'Crate'), place((frame - 100) / 2))).toBeLessThan(1e-3);
      expect(apart(placeOf(whole, frame, 'Hips'), placeOf(project, frame, 'Hips'))).toBeLessThan(1e-9);
    }
  });

  it('move as an extra joint of a capture does, in the time of its layer, fitted with the character', () => {
    // A sword in the right hand, in a capture of somebody twice as large.
    const hand = jointIndex(take.rig, 'RightHand');
    const sword = {
      ...take.rig.joints[hand],
      name: 'Sword',
      parent: hand,
      translation: [0.5, 3, 1] as const,
      ends: [],
    };
    const captured: Take = { ...take, id: 'captured', rig: { joints: [...take.rig.joints, sword] } };
    const large: Take = { ...captured, ...scaledLengths(captured, 2), id: 'large' };
    const crate: Prop = { name: 'Blade', shape: 'box', size: [1, 4, 1], at: [5, 2, 5], turn: [0, 0, 0] };
    const mapping = Object.fromEntries(take.rig.joints.map(({ name }) => [name, name]));
    const fitted: Take = { ...take, id: 'fitted', made: { from: 'large', mapping } };
    const time = { offset: 100, speed: 2, loop: 'none' } as const;
    const plain = addProp(capture(), crate);
    for (const [played, others] of [
      [captured, []],
      [fitted, [large]],
    ] as const) {
      const base = newLayer('Base', 'override', { id: 'base', content: playing(played.id), time });
      const project: Project = { ...plain, takes: [played, ...others], layers: [base] };
      expect(extraJoints(project)).toEqual([{ layer: 'base', joint: 'Sword' }]);
      const { project: moved } = movePropAsJoint(project, 'Blade', { layer: 'base', joint: 'Sword' })!;
      for (const frame of [200, 330, 501]) {
        const placed = seen(project, frame);
        const wanted = pointInWorld(placed.matrices, jointIndex(project.rig, 'RightHand'), [0.5, 3, 1]);
        expect(apart(placeOf(moved, frame, 'Blade'), wanted)).toBeLessThan(0.02);
        expect(apart(placeOf(project, frame, 'Blade'), crate.at)).toBe(0);
      }
    }
    expect(movePropAsJoint(plain, 'Blade', { layer: 'gone', joint: 'Sword' })).toBeUndefined();
  });
});
