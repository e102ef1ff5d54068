import * as THREE from 'three';
import { beforeAll, describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { bakeBlock, planBake } from '../src/bake/index.js';
import { checkTake, takeUnit } from '../src/check/index.js';
import {
  addLayer,
  addTakeLayer,
  addTakes,
  closeTakeLoop,
  keyPlacement,
  keyPose,
  layersOutside,
  lineUp,
  madeName,
  mappingFor,
  placementAt,
  projectFromTake,
  putSamples,
  removeTake,
  removeTakes,
  renameTake,
  renameTakes,
  rotatePlacement,
  saveMapping,
  setBaseTake,
  setContacts,
  setMaking,
  setPlacement,
  setSpan,
  setTime,
  sourceOf,
  takeUses,
  wantedMaking,
} from '../src/edit/index.js';
import { loopGap } from '../src/evaluate/index.js';
import { bvhText, makeSamples, readProject, readTake, writeProject } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  NO_CONTENT,
  type Project,
  type Rig,
  restPose,
  type Take,
  takeOf,
} from '../src/index.js';
import { findContacts, makeMotion, travelByFeet, type Wearer } from '../src/make/index.js';
import { playsOn } from '../src/match/index.js';
import { globalMatrices, rigHeight } from '../src/rig/index.js';
import {
  CONTACT_LIMITS,
  type Making,
  type Motion,
  readSample,
  resampled,
  scaledLengths,
  tidyContacts,
  trimmed,
  turnedUp,
} from '../src/take/index.js';
import { captureBytes } from './capture.js';

/** Subject 01, trial 01 of the Carnegie Mellon motion-capture database. */
const { take: capture } = readTake('01_01.bvh', captureBytes());
const unit = takeUnit(projectFromTake(capture), capture);

function positionsAt(motion: Motion, s: number): (name: string) => THREE.Vector3 {
  const pose = restPose(motion.rig);
  readSample(motion, s, pose);
  const matrices = globalMatrices(motion.rig, pose, new Float64Array(16 * motion.rig.joints.length));
  return (name) =>
    new THREE.Vector3().fromArray(
      matrices,
      16 * motion.rig.joints.findIndex((joint) => joint.name === name) + 12,
    );
}

const wearer: Wearer = { rig: WICK, metresPerUnit: 1 };

/** A take that is made of the capture. */
async function madeOf(made: Making, who: Wearer = wearer): Promise<Take> {
  const take = { id: 'made', name: capture.name, made };
  return { ...take, ...(await makeSamples(take, capture, who)) };
}

/** A project in which the samples that a take wants were made. */
async function remade(project: Project, id: string): Promise<Project> {
  const take = project.takes.find((one) => one.id === id)!;
  const made = await makeSamples(take, sourceOf(project, take), wearer);
  return putSamples(project, id, wantedMaking(project, take)!, made);
}

describe('contacts', () => {
  // Looked at by eye, as figures from the side: he jumps forward again and again, with both feet at once.
  const STANDS = [200, 212, 284, 300, 344, 392, 404, 476, 500, 548, 572, 656, 704, 752, 764, 848, 884];
  const IN_THE_AIR = [236, 248, 260, 440, 452, 464, 608, 620, 632, 800, 812, 824];
  const { spans } = findContacts(capture, unit);
  const stands = (joint: string, s: number) =>
    spans.some((span) => span.joint === joint && span.from <= s && s <= span.to);

  it.each(['LeftFoot', 'RightFoot'])('of the %s are where the eye sees it stand', (foot) => {
    expect(STANDS.filter((s) => !stands(foot, s))).toEqual([]);
    expect(IN_THE_AIR.filter((s) => stands(foot, s))).toEqual([]);
  });

  it('are the same at another scale, rate and height, and follow the limits', () => {
    const larger = findContacts(scaledLengths(capture, 10), unit / 10);
    expect(larger.spans).toEqual(spans);
    const slower = findContacts(resampled(capture, 30), unit).spans;
    for (const foot of ['LeftFoot', 'RightFoot'])
      expect(slower.filter(({ joint }) => joint === foot).length).toBe(
        spans.filter(({ joint }) => joint === foot).length,
      );
    expect(findContacts(capture, unit, { height: 0, speed: 0 }).spans).toEqual([]);
    const all = findContacts(capture, unit, { height: 10, speed: 100 }).spans;
    expect(all.map(({ from, to }) => [from, to])).toEqual([
      [0, 2751],
      [0, 2751],
    ]);
  });

  it('that touch become one', () => {
    const span = (from: number, to: number, joint = 'a') => ({ joint, from, to });
    expect(tidyContacts([span(5, 9), span(1, 4), span(11, 12), span(2, 3, 'b')])).toEqual([
      span(1, 9),
      span(11, 12),
      span(2, 3, 'b'),
    ]);
  });

  it('keep the feet where they are once the travel is matched to them', () => {
    const contacts = {
      limits: { height: 0, speed: 0 },
      joints: ['LeftFoot'],
      spans: spans.filter(({ joint }) => joint === 'LeftFoot'),
    };
    const matched = travelByFeet(capture, contacts);
    const slid = (motion: Motion) =>
      Math.max(
        ...contacts.spans.map(({ from, to }) => {
          const [a, b] = [from, to].map((s) => positionsAt(motion, s)('LeftFoot').setY(0));
          return a.distanceTo(b) * unit;
        }),
      );
    expect(slid(matched)).toBeLessThan(1e-9);
    expect(slid(capture)).toBeGreaterThan(0.01);
    // In the air he goes on as he went.
    const step = (motion: Motion) => positionsAt(motion, 452)('Hips').sub(positionsAt(motion, 440)('Hips'));
    expect(step(matched).distanceTo(step(capture))).toBeLessThan(1e-9);
  });
});

describe('a take made of another', () => {
  const fit: Making = {
    from: capture.id,
    mapping: mappingFor({ rig: WICK, mappings: [] }, capture),
  };

  it('is trimmed and resampled in time', () => {
    const cut = trimmed(capture, [120, 480]);
    expect([cut.count, cut.interval]).toEqual([361, capture.interval]);
    expect(positionsAt(cut, 100)('LeftHand')).toEqual(positionsAt(capture, 220)('LeftHand'));
    const slow = resampled(cut, 30);
    // Frame Time is written as .0083333, which stands for 120 a second.
    expect(slow.count).toBe(91);
    expect(positionsAt(slow, 50)('LeftHand').distanceTo(positionsAt(cut, 200)('LeftHand'))).toBeLessThan(
      1e-3,
    );
    const fine = resampled(cut, 240);
    const middle = positionsAt(cut, 10)('Hips').lerp(positionsAt(cut, 11)('Hips'), 0.5);
    expect(positionsAt(fine, 21)('Hips').distanceTo(middle)).toBeLessThan(1e-3);
  });

  it.each([
    ['x', new THREE.Vector3(1, 0, 0)],
    ['z', new THREE.Vector3(0, 0, 1)],
  ] as const)('stands up from the axis %s, as a rotation by three', (axis, up) => {
    const turn = new THREE.Quaternion().setFromUnitVectors(up, new THREE.Vector3(0, 1, 0));
    const upright = turnedUp(capture, axis);
    for (const s of [0, 700, 2751]) {
      const [own, before] = [positionsAt(upright, s), positionsAt(capture, s)];
      for (const { name } of capture.rig.joints)
        expect(own(name).distanceTo(before(name).applyQuaternion(turn))).toBeLessThan(1e-9);
    }
  });

  it('is what its file says when it is read again, at a hundredth of a degree and better', async () => {
    const made = await madeOf({ ...fit, trim: [100, 400], rate: 60 });
    expect(playsOn(WICK, made)).toBe(true);
    expect(made.made).toMatchObject({ from: capture.id, trim: [100, 400], rate: 60 });
    expect(made.contacts?.spans.length).toBeGreaterThan(0);
    const { motion } = makeMotion(capture, made.made!, wearer);
    expect(made.count).toBe(motion.count);
    for (let s = 0; s < made.count; s += 10)
      for (const name of ['LeftFoot', 'RightHand', 'Head'])
        expect(positionsAt(made, s)(name).distanceTo(positionsAt(motion, s)(name))).toBeLessThan(
          1e-5 * rigHeight(WICK),
        );
  });

  it('of a BVH rig keeps what only BVH says: order, end sites, channels, and the unit', async () => {
    const own = await madeOf({ from: capture.id, trim: [0, 50] }, { rig: capture.rig, metresPerUnit: unit });
    const again = await readProject(
      writeProject({ ...projectFromTake(own), metresPerUnit: unit, name: 'x' }),
      'x.evlay',
    );
    const { rig } = again.project;
    // As it was written in the BVH file, to the last digit.
    expect(again.project.takes[0].interval).toBe(0.0083333);
    const saidByBvh = ({ joints }: Rig) =>
      JSON.stringify(joints.map(({ order, channels, ends }) => ({ order, channels, ends })));
    expect(saidByBvh(rig)).toBe(saidByBvh(capture.rig));
    for (const [j, { translation }] of rig.joints.entries())
      for (const axis of [0, 1, 2])
        expect(translation[axis]).toBeCloseTo(capture.rig.joints[j].translation[axis], 9);
    expect(
      positionsAt(again.project.takes[0], 30)('Head').distanceTo(positionsAt(capture, 30)('Head')),
    ).toBeLessThan(1e-4);
  });

  it('carries contacts that were set by hand over to the next making', async () => {
    const made = await madeOf({ ...fit, trim: [200, 800] });
    const byHand = { ...made.contacts!, spans: [{ joint: 'LeftFoot', from: 100, to: 160 }] };
    const project = setContacts(addTakes(wickProject(), [capture, made]), made.id, byHand);
    const takeOf = (p: Project) => p.takes.find(({ id }) => id === made.id)!;
    const next = await remade(setMaking(project, made.id, { trim: [220, 800], rate: 60 }), made.id);
    expect(takeOf(next).contacts!.spans).toEqual([{ joint: 'LeftFoot', from: 40, to: 70 }]);
    expect([takeOf(next).count, takeOf(next).name]).toEqual([291, takeOf(project).name]);
    const wider = await remade(setMaking(project, made.id, { trim: [0, 800] }), made.id);
    expect(takeOf(wider).contacts!.spans.length).toBeGreaterThan(1);
    // Put upright another way it stands on something else: nothing is carried over.
    const lying = setMaking(project, made.id, { up: 'z' });
    expect(takeOf(lying).contacts!.pending).toBe(true);
    expect(takeOf(await remade(lying, made.id)).contacts!.spans).not.toEqual(byHand.spans);
  });

  it('keeps its id; its samples follow its steps, and what is outdated is not put in', async () => {
    const made = await madeOf({ ...fit, trim: [0, 300] });
    const project = addTakes(wickProject(), [capture, made]);
    expect(wantedMaking(project, made)).toBeUndefined();
    const [slow, fast] = [30, 60].map((rate) => setMaking(project, made.id, { rate }));
    const takeOf = (p: Project) => p.takes.find(({ id }) => id === made.id)!;
    const wanted = wantedMaking(slow, takeOf(slow))!;
    // Until they are made, the samples are those of before: the same arrays, so that nothing is compiled again.
    expect(takeOf(slow).rotations).toBe(made.rotations);
    const samples = await makeSamples(takeOf(slow), capture, wearer);
    expect(putSamples(fast, made.id, wanted, samples)).toBe(fast);
    const put = putSamples(slow, made.id, wanted, samples);
    expect([takeOf(put).count, wantedMaking(put, takeOf(put))]).toEqual([76, undefined]);
    // Travel by the feet depends on when they stand.
    const feet = await remade(setMaking(project, made.id, { feet: true }), made.id);
    const moved = setContacts(feet, made.id, { ...takeOf(feet).contacts!, spans: [] });
    expect(wantedMaking(moved, takeOf(moved))).toBeDefined();
    expect(wantedMaking(renameTake(feet, made.id, 'Other'), takeOf(feet))).toBeUndefined();
  });

  it('goes into a project with its source, its name and its contacts', async () => {
    const made = await madeOf({ ...fit, trim: [0, 300] });
    const project = setContacts(
      saveMapping(
        renameTake(addTakes(wickProject(), [capture, made]), made.id, 'Jumps'),
        capture,
        fit.mapping!,
      ),
      made.id,
      { ...made.contacts!, spans: [{ joint: 'LeftFoot', from: 1, to: 2 }] },
    );
    const { project: again, warnings } = await readProject(
      writeProject(setBaseTake(project, made.id)),
      'x.evlay',
    );
    expect(warnings).toEqual([]);
    expect(again.takes.map(({ name }) => name)).toEqual(['idle', '01_01', 'Jumps']);
    const [, source, jumps] = again.takes;
    expect(jumps.made).toEqual({ ...made.made, from: source.id });
    expect(jumps.contacts!.spans).toEqual([{ joint: 'LeftFoot', from: 1, to: 2 }]);
    expect(takeOf(again.layers[0])!.take).toBe(jumps.id);
    expect(mappingFor(again, source)).toEqual(fit.mapping);
  });
});

/** A project whose base plays a short motion of Wick in which he goes a metre along x and turns a quarter. */
function wickProject(): Project {
  const n = WICK.joints.length;
  const rest = {
    ...projectFromTake(capture),
    rig: WICK,
    layers: projectFromTake(capture).layers.map((l) => ({ ...l, content: NO_CONTENT })),
  };
  const still = bakeBlock(compileStack(rest), planBake(rest, { range: [0, 30] }), 0, 31);
  for (let s = 0; s < 31; s++) {
    still.translations.values[3 * n * s] += s / 30;
    still.rotations.values.set(
      [0, Math.sin((Math.PI / 4) * (s / 30)), 0, Math.cos((Math.PI / 4) * (s / 30))],
      4 * n * s,
    );
  }
  const bytes = new TextEncoder().encode(bvhText(WICK, { ...still, interval: 1 / 30 }));
  const { take } = readTake('idle.bvh', bytes, 'idle');
  return { ...projectFromTake(take), metresPerUnit: 1 };
}

function rootAt(project: Project, frame: number): { place: THREE.Vector3; heading: number } {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const ahead = new THREE.Vector3(0, 0, 1).applyQuaternion(new THREE.Quaternion().fromArray(pose.rotations));
  return {
    place: new THREE.Vector3().fromArray(pose.translations),
    heading: (Math.atan2(ahead.x, ahead.z) * 180) / Math.PI,
  };
}

describe('takes of a project', () => {
  let project: Project;
  beforeAll(() => {
    project = wickProject();
  });

  it('stay while something uses them', () => {
    expect(takeUses(project, 'idle').layers.map(({ name }) => name)).toEqual(['Base']);
    expect(removeTake(project, 'idle')).toBe(project);
    const other = { ...project.takes[0], id: 'other', made: { from: 'idle' } };
    const two = setBaseTake(addTakes(project, [other]), 'other');
    expect(takeUses(two, 'idle')).toEqual({ layers: [], takes: ['idle 2'], rig: false });
    expect(removeTake(setBaseTake(two, 'idle'), 'other').takes.map(({ id }) => id)).toEqual(['idle']);
  });

  it('tell what cannot be right', () => {
    const kinds = (take: Take, p = project) => checkTake(p, take).map(({ kind }) => kind);
    expect(kinds(project.takes[0])).toEqual([]);
    expect(checkTake(project, capture)).toContainEqual({
      kind: 'still',
      text: expect.stringMatching(/LeftShoulder.* never turn/),
    });
    const liar = readTake(
      'x.bvh',
      new TextEncoder().encode(
        new TextDecoder().decode(captureBytes()).replace('Frames: 2752', 'Frames: 99'),
      ),
    ).take;
    expect(checkTake(project, liar).map(({ text }) => text)).toContainEqual(
      expect.stringMatching(/99.*2752/),
    );
    expect(kinds(capture)).toContain('size');
    const sunk = {
      ...project.takes[0],
      translations: {
        ...project.takes[0].translations,
        values: project.takes[0].translations.values.slice(),
      },
    };
    sunk.translations.values[3 * sunk.translations.joints.length * 7 + 1] -= 0.2;
    expect(checkTake(project, sunk)).toContainEqual(expect.objectContaining({ kind: 'floor', sample: 7 }));
    sunk.translations.values[3 * sunk.translations.joints.length * 7] += 3;
    expect(checkTake(project, sunk)).toContainEqual(expect.objectContaining({ kind: 'jump', sample: 7 }));
    const lifted = {
      ...project.takes[0],
      translations: {
        ...project.takes[0].translations,
        values: project.takes[0].translations.values.map((value, i) => (i % 3 === 1 ? value + 0.08 : value)),
      },
    };
    // Its toes are 3 cm above their soles, which a BVH does not tell.
    expect(checkTake(project, lifted)).toContainEqual({
      kind: 'floor',
      text: expect.stringMatching(/it hovers: its feet are never less than 11 cm above the floor/),
    });
    const long = { ...project, range: [0, 500] as const };
    expect(kinds(project.takes[0], long)).toContain('short');
    const looped = setTime(long, project.layers[0].id, { loop: 'repeat' });
    expect(kinds(project.takes[0], looped)).toEqual([]);
  });

  it('are placed as a whole: turned where they stand, moved, banked, with keys', () => {
    const id = project.layers[0].id;
    const turned = setPlacement(project, id, 0, { ry: 90 });
    expect(rootAt(turned, 0).place.distanceTo(rootAt(project, 0).place)).toBeLessThan(1e-9);
    expect(rootAt(turned, 0).heading).toBeCloseTo(90, 9);
    expect(rootAt(turned, 30).place.z).toBeCloseTo(-1, 9);
    const up = setPlacement(turned, id, 0, { ty: 0.5, rz: 10 });
    expect(placementAt(up, id, 4)).toMatchObject({ ty: 0.5, rz: 10, ry: 90 });
    const keyed = setPlacement(keyPlacement(setPlacement(up, id, 0, { rz: 0 }), id, 0), id, 20, { ty: 1.5 });
    expect(placementAt(keyed, id, 10).ty).toBeCloseTo(1, 9);
    expect(rootAt(keyed, 20).place.y - rootAt(keyed, 0).place.y).toBeCloseTo(1, 2);
  });

  it('turn about a point that is seen, which stays where it is', () => {
    const id = project.layers[0].id;
    const placed = setPlacement(project, id, 0, { tx: 0.4, tz: -1, ry: 30, rz: 5 });
    const turn = new THREE.Quaternion().setFromEuler(new THREE.Euler(0.1, 1.2, -0.2, 'YXZ'));
    const centre = rootAt(placed, 20).place;
    const turned = rotatePlacement(placed, id, 20, turn.toArray(), centre.toArray());
    expect(rootAt(turned, 20).place.distanceTo(centre)).toBeLessThan(1e-9);
    const { rx, ry, rz } = placementAt(turned, id, 20);
    const degrees = [0.1, 1.2, -0.2].map((angle) => (angle * 180) / Math.PI);
    for (const [k, value] of [rx, ry, rz].entries()) expect(value).toBeCloseTo(degrees[k], 9);
  });

  it('made of one that came from outside stand beside it and play in its place; made again, in their own', () => {
    const once = setMaking(project, 'idle', { rate: 24 }, 'made');
    expect(once.takes.map(({ id }) => id)).toEqual(['idle', 'made']);
    expect(takeOf(once.layers[0])!.take).toBe('made');
    const twice = setMaking(once, 'made', { scale: 2 });
    expect(twice.takes.map(({ id, made }) => [id, made])).toEqual([
      ['idle', undefined],
      ['made', { from: 'idle', rate: 24, scale: 2 }],
    ]);
    expect(sourceOf(twice, twice.takes[1]).id).toBe('idle');
    expect(setMaking(twice, 'gone', { rate: 24 })).toBe(twice);
  });

  it('set as base bring their rate where nothing counts in frames yet, and their length always', () => {
    const fast = { ...project.takes[0], id: 'fast', interval: 1 / 60 };
    const alone = setBaseTake(addTakes(project, [fast]), 'fast');
    expect([alone.fps, alone.range]).toEqual([60, [0, 30]]);
    const added = addTakeLayer(addTakes(project, [fast]), {
      take: 'idle',
      mode: 'additive',
      above: project.layers[0].id,
    });
    const under = setBaseTake(added.project, 'fast');
    expect([under.fps, under.range]).toEqual([project.fps, [0, 15]]);
  });

  it('set as base, say which layers reach beyond the range, and bring their name', () => {
    const two = addTakes(project, [{ ...project.takes[0], id: 'short', name: 'short', count: 16 }]);
    const named = { ...two, layers: [{ ...two.layers[0], name: two.takes[0].name }, ...two.layers.slice(1)] };
    const long = addLayer(named, { mode: 'additive', above: named.layers[0].id, joints: [], frame: 0 });
    const keyed = keyPose(setSpan(long.project, long.id, { start: 10, end: project.range[1] }), long.id, 20, {
      Head: { rx: 5 },
    });
    expect(layersOutside(keyed)).toEqual([]);
    const based = setBaseTake(keyed, 'short');
    expect([based.layers[0].name, setBaseTake(two, 'short').layers[0].name]).toEqual(['short', 'short']);
    expect(layersOutside(based).map(({ id }) => id)).toEqual([long.id]);
    expect(madeName(['walk, fitted'], 'walk', { mapping: {} })).toBe('walk, fitted 2');
  });

  it('come in, go and are called anew many at once, without a name twice', () => {
    const [walk] = project.takes;
    const copies = ['a', 'b', 'c', 'd'].map((id) => ({ ...walk, id }));
    const made = { ...walk, id: 'made', made: { from: 'a' } };
    const many = addTakes(project, [...copies, made]);
    const names = many.takes.map(({ name }) => name);
    expect(new Set(names).size).toBe(6);
    expect(names.slice(0, 2)).toEqual([walk.name, `${walk.name} 2`]);
    // What the base plays stays; what others are made of goes with them, in whatever order they are named.
    const left = removeTakes(many, [walk.id, 'a', 'made', 'c']);
    expect(left.takes.map(({ id }) => id)).toEqual([walk.id, 'b', 'd']);
    expect(removeTakes(many, ['a']).takes).toHaveLength(6);
    const called = renameTakes(renameTake(many, 'd', 'Hop 2'), ['b', 'c', 'made'], 'Hop');
    expect(called.takes.map(({ name }) => name).slice(2)).toEqual(['Hop 1', 'Hop 3', 'Hop 2', 'Hop 4']);
    expect(renameTakes(many, ['b'], 'One').takes[2].name).toBe('One');
    expect(renameTakes(many, ['b'], '  ')).toBe(many);
  });

  it('and layers that loop say how large the gap is where they start over', () => {
    const added = addLayer(project, { mode: 'additive', above: project.layers[0].id, joints: [], frame: 0 });
    const keyed = [
      [0, 0],
      [20, 2.7],
    ].reduce((p, [frame, rx]) => keyPose(p, added.id, frame, { Head: { rx } }), added.project);
    const gap = (time: Parameters<typeof setTime>[2]) => {
      const timed = setTime(keyed, added.id, time);
      return loopGap(timed, timed.layers.find(({ id }) => id === added.id)!);
    };
    expect(gap({ loop: 'none' })).toBeUndefined();
    expect(gap({ loop: 'repeat' })).toMatchObject({
      turned: 'Head',
      degrees: expect.closeTo(2.7, 2),
      distance: 0,
    });
    // Over a longer cycle the keys are continued across the seam.
    expect(gap({ loop: 'repeat', cycle: [0, 40] })!.degrees).toBeLessThan(0.01);
    // What the root travels is no gap where it goes on from where it came to.
    const walked = setTime(project, project.layers[0].id, { loop: 'travel' });
    expect(loopGap(walked, walked.layers[0])!.distance).toBeLessThan(1e-3);
  });

  it.each(['repeat', 'travel'] as const)(
    'are closed over the end of a cycle that is to %s: nothing turns at the seam, and it goes on at one pace',
    async (loop) => {
      const own = projectFromTake(capture);
      const [base] = own.layers;
      const long = own.fps * capture.interval;
      const cycle = [300 * long, 420 * long] as const;
      const open = setTime(own, base.id, { loop, cycle });
      const before = loopGap(open, open.layers[0])!;
      expect(before.degrees).toBeGreaterThan(1);
      const closed = await remade(closeTakeLoop(open, base.id, 40 * long, 'shut'), 'shut');
      const gap = loopGap(closed, closed.layers[0])!;
      // The gap is looked at a ten-thousandth of a frame before the seam.
      expect([gap.degrees, gap.distance].every((value) => value < 0.01)).toBe(true);
      const [was, now] = [own.takes[0], closed.takes.find(({ id }) => id === 'shut')!];
      const root = positionsAt(now, 420)('Hips').sub(positionsAt(now, 300)('Hips'));
      const way = positionsAt(was, 420)('Hips').sub(positionsAt(was, 300)('Hips'));
      expect(root.distanceTo(loop === 'travel' ? way : new THREE.Vector3())).toBeLessThan(1e-4);
      for (const name of ['Hips', 'LeftHand', 'RightFoot', 'Head']) {
        const step = (s: number) => positionsAt(now, s)(name).sub(positionsAt(now, s - 1)(name));
        expect(step(420).distanceTo(step(301))).toBeLessThan(0.02 * step(301).length() + 5e-3);
        expect(positionsAt(now, 380)(name).distanceTo(positionsAt(was, 380)(name))).toBeLessThan(1e-4);
      }
      // Closed anew, over another stretch, it is the same take.
      const again = closeTakeLoop(closed, base.id, 20 * long);
      expect(again.takes.map(({ id }) => id)).toEqual(closed.takes.map(({ id }) => id));
      expect(again.takes.find(({ id }) => id === 'shut')!.made!.close!.over).toBe(20);
    },
  );

  it('are lined up so that one begins where the other ends', () => {
    const { project: two, id } = addTakeLayer(project, {
      take: 'idle',
      mode: 'override',
      above: project.layers[0].id,
    });
    const lined = lineUp(two, id, two.layers[0].id);
    const layer = lined.layers[1];
    const start = layer.time!.offset;
    expect(start).toBe(24);
    expect(lined.range[1]).toBe(54);
    // Where it begins it stands where the other is, and heads as that does; from there it goes its own way.
    const only = { ...lined, layers: [{ ...layer, span: undefined }] };
    expect(rootAt(only, start).place.distanceTo(rootAt(project, start).place)).toBeLessThan(1e-9);
    expect(rootAt(only, start).heading).toBeCloseTo(rootAt(project, start).heading, 6);
    expect(rootAt(lined, 54).heading).toBeCloseTo(72 + 90, 6);
  });

  it('are lined up whatever their speeds and loops', () => {
    const { project: two, id } = addTakeLayer(project, {
      take: 'idle',
      mode: 'override',
      above: project.layers[0].id,
    });
    const base = two.layers[0].id;
    for (const speed of [1, -1, -0.5, 2, 0])
      for (const before of [
        { speed: 1 },
        { speed: -1 },
        { speed: 0 },
        { speed: 1, loop: 'travel' },
      ] as const) {
        const timed = setTime(setTime(two, base, before), id, { speed });
        const lined = lineUp(timed, id, base);
        const layer = lined.layers[1];
        const start = layer.span!.start!;
        expect([...lined.range, start].every(Number.isFinite)).toBe(true);
        const only = { ...lined, layers: [{ ...layer, span: undefined }] };
        const under = { ...lined, layers: [lined.layers[0]] };
        expect(rootAt(only, start).place.distanceTo(rootAt(under, start).place)).toBeLessThan(1e-9);
        // A layer that plays backwards begins with its last sample.
        const { offset } = layer.time!;
        expect((start - offset) * speed).toBeCloseTo(speed < 0 ? 30 : 0, 9);
      }
  });

  it('turn about where they play alone, whatever the base is placed, masked or muted', () => {
    const { project: two, id } = addTakeLayer(project, {
      take: 'idle',
      mode: 'override',
      above: project.layers[0].id,
    });
    const pivot = setPlacement(two, id, 0, { ry: 90 }).layers[1].placement!.pivot;
    const base = {
      ...setPlacement(two, two.layers[0].id, 0, { tx: 5 }).layers[0],
      muted: true,
      mask: {},
      span: { start: 50 },
    };
    const odd = setPlacement({ ...two, layers: two.layers.with(0, base) }, id, 0, { ry: 90 });
    expect(odd.layers[1].placement!.pivot).toEqual(pivot);
  });

  it('renamed, or with other contacts, compile no layer and leave the kernel as it is', () => {
    const { project: two, id } = addTakeLayer(project, {
      take: 'idle',
      mode: 'override',
      above: project.layers[0].id,
    });
    const stack = compileStack(two);
    const renamed = renameTake(two, 'idle', 'Other');
    const edited = setContacts(renamed, 'idle', { limits: CONTACT_LIMITS, joints: [], spans: [] });
    const again = compileStack(edited, stack);
    expect(again.layers).toEqual(stack.layers);
    for (const [i, layer] of again.layers.entries()) expect(layer).toBe(stack.layers[i]);
    expect(again.kernel).toBe(stack.kernel);
    expect(compileStack(setTime(edited, id, { speed: 2 }), again).layers[1]).not.toBe(stack.layers[1]);
  });
});
