import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { random } from '../bench/subject.js';
import { findingSteps, spansIn, standingsOf } from '../src/check/index.js';
import {
  addPath,
  addWalk,
  changeMark,
  changePath,
  contactsOfOthers,
  findHeldAnew,
  followEvents,
  keepContacts,
  keepingRefusal,
  movePicked,
  projectFromCharacter,
  projectFromTake,
  putMerged,
  putWalk,
  setBaseTake,
  setContacts,
  setStands,
  tieKeys,
  tiesOf,
  untieKeys,
  walkAtEase,
} from '../src/edit/index.js';
import { motionBelow } from '../src/evaluate/motion-below.js';
import { readProject, readTake, writeProject } from '../src/format/index.js';
import {
  channelsOf,
  compileStack,
  contactsOf,
  finished,
  keyed,
  type LayerTime,
  newKey,
  newLayer,
  type Project,
  playing,
  type Rig,
  restPose,
} from '../src/index.js';
import { eventsOf, standingLimbs } from '../src/kit/index.js';
import { walkOf } from '../src/layer/applied-walk.js';
import { mapTime } from '../src/layer/map-time.js';
import { framesInserted } from '../src/layer/time-map.js';
import { findContacts } from '../src/make/index.js';
import { LEG_PHASES } from '../src/motion/index.js';
import { compiledLimbs, jointIndex, placePose, rigHeight } from '../src/rig/index.js';
import { trimmed } from '../src/take/index.js';
import { captureBytes } from './capture.js';

const alone = (rig: Rig, fps: number, seconds: number): Project => ({
  ...projectFromCharacter({ name: 'x', rig, figure: { id: 'x', bytes: new Uint8Array() }, takes: [] }),
  fps,
  range: [0, seconds * fps],
});

describe('events of a motion', () => {
  it('are where feet come down and leave the floor: nine of ten within two frames, none invented, with noise of 5 mm', () => {
    const next = random(11);
    for (const rig of [WICK, BRINDLE])
      for (const fps of [24, 60, 120])
        for (const noise of [0, 0.005]) {
          const plain = alone(rig, fps, 5);
          const ease = walkAtEase(plain)!.walk;
          const walk = {
            ...ease,
            speed: ease.speed * (0.8 + 0.4 * next()),
            cadence: ease.cadence * (0.85 + 0.3 * next()),
            stance: ease.stance + 0.06 * (next() - 0.5),
            bounce: ease.bounce * (0.7 + 0.6 * next()),
          };
          const project = putWalk(addWalk(plain, plain.layers[0].id)!.project, plain.layers[0].id, walk);
          const motion = motionBelow(project);
          // The whole body shakes: a capture's noise at every sample.
          const { values } = motion.translations;
          for (let s = 0; s < motion.count; s++)
            for (let axis = 0; axis < 3; axis++)
              values[3 * rig.joints.length * s + axis] += 2 * noise * (next() - 0.5);
          // When feet are on the floor by the numbers that the walk was made of.
          const cycle = (120 / walk.cadence) * fps;
          const known = Object.entries(LEG_PHASES).flatMap(([leg, behind]) => {
            const limb = `${leg}Leg`;
            if (!project.parts.some((part) => part === limb)) return [];
            return Array.from({ length: 12 }, (_, k) => [
              { limb, what: 0, frame: (k - 1 + behind) * cycle },
              { limb, what: 1, frame: (k - 1 + behind + walk.stance) * cycle },
            ])
              .flat()
              .filter(({ frame }) => frame > 0.3 * fps && frame < 4.7 * fps);
          });
          expect(known.length).toBeGreaterThan(10);
          const found = [...spansIn(project, motion)].flatMap(([{ name: limb }, spans]) =>
            spans.flatMap(([from, to]) => [
              { limb, what: 0, frame: from },
              { limb, what: 1, frame: to },
            ]),
          );
          const near = (a: (typeof known)[number], b: (typeof known)[number], frames: number) =>
            a.limb === b.limb && a.what === b.what && Math.abs(a.frame - b.frame) <= frames;
          // Two frames of 30 a second, and at a lower rate two of its own.
          const frames = Math.max(2, (2 * fps) / 30);
          const met = known.filter((one) => found.some((other) => near(one, other, frames)));
          expect(met.length / known.length).toBeGreaterThanOrEqual(0.9);
          const inside = found.filter(({ frame }) => frame > 0.5 * fps && frame < 4.5 * fps);
          const invented = inside.filter((one) => !known.some((other) => near(one, other, 0.12 * fps)));
          expect(invented).toEqual([]);
        }
  });

  it('are of a keyed base that nobody has looked at, and of what lies below a layer', () => {
    const plain = alone(WICK, 30, 4);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    // Plain keys without the numbers that made them.
    const { applied: _, ...base } = walking.layers[0];
    const cycle = (120 / walkAtEase(plain)!.walk.cadence) * 30;
    const project: Project = {
      ...walking,
      layers: [
        base,
        newLayer('Lifted', 'additive', { content: keyed({ Hips: { ty: { keys: [newKey(0, 0.5)] } } }) }),
      ],
      marks: [{ id: 'm', name: 'lamp', frame: 40.5 }],
    };
    const below = eventsOf(project, 1);
    expect(below[0]).toEqual({ name: 'start', frame: 0 });
    expect(below.at(-1)).toEqual({ name: 'end', frame: 120 });
    expect(below).toContainEqual({ name: 'lamp', frame: 40.5 });
    const strikes = below.filter(({ name }) => name === 'leftLeg down').map(({ frame }) => frame);
    for (const [k, frame] of strikes.entries()) expect(Math.abs(frame - (k + 1) * cycle)).toBeLessThan(2);
    expect(strikes).toHaveLength(3);
    expect(below.map(({ frame }) => frame)).toEqual(
      [...below.map(({ frame }) => frame)].sort((a, b) => a - b),
    );
  });

  it('let feet of a keyed base be held, and tell that a keyed hips layer slides them', () => {
    const plain = alone(WICK, 30, 4);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    const { applied: _, ...base } = walking.layers[0];
    const keysOnly: Project = { ...walking, layers: [base] };
    const slides = (project: Project) =>
      finished(findingSteps(project)).filter(({ kind }) => kind === 'slide');
    expect(slides(keysOnly)).toEqual([]);
    const sway = keyed({
      Hips: { tx: { keys: [newKey(0, 0), newKey(15, 0.04), newKey(30, -0.04), newKey(60, 0.05)] } },
    });
    const swaying = { ...keysOnly, layers: [base, newLayer('Sway', 'additive', { content: sway })] };
    expect(slides(swaying).length).toBeGreaterThan(1);
    const kept = keepContacts(swaying)!.project;
    expect(slides(kept)).toEqual([]);
    expect(Object.keys(contactsOf(kept.layers.at(-1)!)!.limbs).sort()).toEqual(['leftLeg', 'rightLeg']);
    expect(keepingRefusal(alone(WICK, 30, 4))).toMatch(/nothing stands/);
  });

  it('of keys can be said, move along with time, loops and speed, and are let go of', () => {
    const plain = alone(WICK, 30, 4);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    const [walk] = walking.layers;
    const { applied: _, ...base } = walk;
    const keysOnly: Project = { ...walking, layers: [base] };
    const downs = (project: Project) =>
      eventsOf(project).flatMap(({ name, frame }) => (name === 'leftLeg down' ? [frame] : []));
    // What is found in one cycle of the loop comes round as the walk was made: each round once.
    const cycle = walk.time!.cycle![1];
    const found = downs(keysOnly);
    expect(found).toHaveLength(3);
    for (const [k, frame] of found.entries()) {
      expect(Math.abs(frame - (k + 1) * cycle)).toBeLessThan(2);
      if (k > 0) expect(frame - found[k - 1]).toBeCloseTo(cycle, 9);
    }
    // One stance a cycle, said by hand in the layer's own frames: at 5, and a half as long at twice the speed.
    const said = setStands(keysOnly, base.id, { leftLeg: [[5, 15]] });
    expect(downs(said)).toEqual([0, 1, 2, 3].map((k) => expect.closeTo(5 + k * cycle, 9)));
    const timed = (time: Partial<LayerTime>): Project => ({
      ...said,
      layers: [{ ...said.layers[0], time: { ...walk.time!, ...time } }],
    });
    const fast = timed({ speed: 2, offset: 40, loop: 'none' });
    expect(standingLimbs(fast).get('leftLeg')).toEqual([[42.5, 47.5]]);
    expect(standingLimbs(timed({ speed: -1, offset: 40, loop: 'none' })).get('leftLeg')).toEqual([[25, 35]]);
    const later = mapTime({ ...fast, layers: fast.layers }, framesInserted(0, 20)).project;
    expect(standingLimbs(later).get('leftLeg')).toEqual([[62.5, 67.5]]);
    expect(downs(setStands(said, base.id, undefined))).toEqual(found);
    // Another walk says anew when its legs stand.
    expect(
      putWalk(setStands(walking, walk.id, { leftLeg: [[5, 15]] }), walk.id, walkOf(walk)!).layers[0].stands,
    ).toBeUndefined();
  });

  it('of a take stay as they were corrected where it becomes keys, as base and above it, and in a file', async () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const unit = 1.7 / rigHeight(take.rig);
    const found = findContacts(take, unit);
    // One is taken out and one moved by hand.
    const spans = found.spans.slice(1).map((span, k) => (k === 2 ? { ...span, from: span.from + 7 } : span));
    const project = { ...projectFromTake({ ...take, contacts: { ...found, spans } }), metresPerUnit: unit };
    const grounded = (one: Project) => eventsOf(one).filter(({ name }) => name !== 'apex');
    const before = grounded(project);
    const content = keyed({ Hips: { rx: { keys: [newKey(0, 0)] } } });
    const run = { to: 0, solo: false, group: undefined };
    const asBase = putMerged(project, { ...run, from: 0, kind: 'base' }, { content });
    expect(grounded(asBase)).toEqual(before);
    const { project: read } = await readProject(writeProject(asBase), 'x.evlay');
    expect(grounded(read)).toEqual(before);
    // On a layer above another performance its own count, where it drives the legs.
    const legs = keyed(
      Object.fromEntries(
        take.rig.joints
          .filter(({ name }) => name !== 'Hips')
          .map(({ name }) => [name, { rx: { keys: [newKey(0, 0)] } }]),
      ),
    );
    const other = { ...take, id: 'other', contacts: { ...found, spans: [] } };
    const two: Project = {
      ...project,
      takes: [...project.takes, other],
      layers: [{ ...project.layers[0], id: 'other', content: playing('other') }, project.layers[0]],
    };
    const above = putMerged(two, { ...run, from: 1, to: 1, kind: 'override' }, { content: legs });
    expect(eventsOf(above).filter(({ name }) => name.startsWith('leftLeg'))).toEqual(
      before.filter(({ name }) => name.startsWith('leftLeg')),
    );
  });

  it('are not those of a merged layer that has no part in the limb, though they are corrected below it later', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const unit = 1.7 / rigHeight(take.rig);
    const contacts = findContacts(take, unit);
    const base = { ...projectFromTake({ ...take, contacts }), metresPerUnit: unit };
    const arms = keyed({
      LeftArm: { rx: { keys: [newKey(0, 20)] } },
      LeftForeArm: { rx: { keys: [newKey(0, 5)] } },
    });
    const layer = newLayer('Arm', 'override', { content: arms });
    const run = { from: 1, to: 1, kind: 'override' as const, solo: false, group: undefined };
    const merged = putMerged({ ...base, layers: [...base.layers, layer] }, run, { content: arms });
    expect(merged.layers[1].stands).toBeUndefined();
    // Nor where what drove the legs was taken out of it.
    const stands = { leftLeg: [[10, 500]] } as const;
    const left = { ...merged, layers: [merged.layers[0], { ...merged.layers[1], stands }] };
    const none = setContacts(left, take.id, { ...contacts, spans: [] });
    expect(eventsOf(left)).toEqual(eventsOf(base));
    expect(standingsOf(none, compileStack(none))).toEqual([]);
  });

  it('plant the steps of a walk by rule on a path that bends, on which they slide by themselves', () => {
    const plain = alone(WICK, 30, 5);
    const walking = addWalk(plain, plain.layers[0].id)!.project;
    const high = placePose(WICK, restPose(WICK)).matrices[16 * jointIndex(WICK, 'Hips') + 13] - 0.02;
    const along = addPath(walking, 'Hips', 0, { above: walking.layers[0].id });
    const points = [
      [0, 0],
      [0.6, 2],
      [2.2, 3.2],
      [4, 3.4],
    ].map(([x, z]) => [x, high, z] as const);
    const bent = changePath(along.project, along.id, along.target, (path) => ({
      ...path,
      heading: true,
      points,
    }));
    const slides = (project: Project) =>
      finished(findingSteps(project)).filter(({ kind, grade }) => kind === 'slide' && grade !== 'note');
    expect(slides(bent).length).toBeGreaterThan(5);
    expect(slides(keepContacts(bent)!.project)).toEqual([]);
  });

  it('have an apex in each jump, where the root is highest', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const metresPerUnit = 1.7 / rigHeight(take.rig);
    const project = {
      ...projectFromTake({ ...take, contacts: findContacts(take, metresPerUnit) }),
      metresPerUnit,
    };
    const events = eventsOf(project);
    const heights = Array.from({ length: take.count }, (_, s) => take.translations.values[3 * s + 1]);
    const apexes = events.filter(({ name }) => name === 'apex');
    // The subject jumps about ten times.
    expect(apexes.length).toBeGreaterThan(5);
    for (const { frame } of apexes) {
      const s = Math.round(frame);
      for (let k = -6; k <= 6; k++) expect(heights[s]).toBeGreaterThanOrEqual(heights[s + k] - 1e-9);
      // Nothing stands there.
      const stands = take.contacts ?? findContacts(take, metresPerUnit);
      expect(stands.spans.some(({ from, to }) => from < frame && frame < to)).toBe(false);
    }
  });
});

describe('keys that hang on an event', () => {
  it('move along when contacts or marks are corrected, in a layer of any time, and let go when they are moved by hand', async () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const contacts = findContacts(take, 1.7 / rigHeight(take.rig));
    const standing = { ...take, contacts };
    const base = projectFromTake(standing);
    const nod = newLayer('Nod', 'additive', {
      time: { offset: 30, speed: -2, loop: 'none' },
      content: keyed({ Head: { rx: { keys: [newKey(-200, 0), newKey(-100, 8), newKey(0, 0)] } } }),
    });
    const project: Project = {
      ...base,
      layers: [...base.layers, nod],
      marks: [{ id: 'm', name: 'lamp', frame: 100 }],
    };
    const address = { kind: 'channel', layer: nod.id, joint: 'Head', channel: 'rx' } as const;
    const keys = (one: Project) => channelsOf(one.layers[1]).Head.rx!.keys;
    // The key of own frame -100 is seen at frame 80.
    const picks = [{ address, keys: [keys(project)[1].id] }];
    const down = eventsOf(project).find(({ name, frame }) => / down$/.test(name) && frame > 90)!;
    const tied = tieKeys(project, picks, down);
    expect(tiesOf(tied, picks)).toEqual([{ event: down.name, after: expect.closeTo(80 - down.frame, 9) }]);
    const read = (await readProject(writeProject(tied), 'x.evlay')).project;
    expect(read.layers[1].ties).toEqual(tied.layers[1].ties);
    const foot = take.rig.joints.findIndex(
      ({ name }) => name === contacts.spans.find(({ from }) => Math.abs(from - down.frame) < 1)!.joint,
    );
    const later = {
      ...contacts,
      spans: contacts.spans.map((span) =>
        Math.abs(span.from - down.frame) < 1 && span.joint === take.rig.joints[foot].name
          ? { ...span, from: span.from + 6 }
          : span,
      ),
    };
    const moved = followEvents(setContacts(tied, take.id, later));
    // Six frames later is twelve of its own earlier.
    expect(keys(moved).map(({ frame }) => frame)).toEqual([-200, expect.closeTo(-112, 6), 0]);
    expect(keys(followEvents(setContacts(moved, take.id, contacts))).map(({ frame }) => frame)).toEqual([
      -200,
      expect.closeTo(-100, 6),
      0,
    ]);
    const onMark = tieKeys(tied, picks, { name: 'lamp', frame: 100 });
    expect(tiesOf(onMark, picks)).toHaveLength(1);
    const marked = followEvents(changeMark(onMark, 'm', { frame: 90 }));
    expect(keys(marked)[1].frame).toBeCloseTo(-80, 9);
    const byHand = followEvents(movePicked(tied, picks, { by: 3 }));
    expect(byHand.layers[1].ties).toBeUndefined();
    // Inserted frames take event and key along.
    const longer = mapTime(tied, framesInserted(10, 20)).project;
    expect(longer.layers[1].ties![0].at).toBeCloseTo(down.frame + 20, 9);
    expect(untieKeys(tied, picks).layers[1].ties).toBeUndefined();
  });
});

describe('contacts of another performance', () => {
  it('are found anew where the base is another one, told where they were corrected, and go along into a merged base', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const unit = 1.7 / rigHeight(take.rig);
    const piece = (id: string, from: number, to: number) => {
      const motion = trimmed(take, [from, to]);
      const one = { ...take, ...motion, id, name: id, source: { ...take.source, id } };
      return { ...one, contacts: findContacts(one, unit) };
    };
    const [first, second] = [piece('first', 0, 900), piece('second', 900, 1800)];
    const base = { ...projectFromTake(first), metresPerUnit: unit, takes: [first, second] };
    const { project: kept, id } = keepContacts(base)!;
    expect(contactsOfOthers(kept)).toEqual([]);
    const other = setBaseTake(kept, 'second');
    expect(contactsOfOthers(other)).toEqual([id]);
    const anew = findHeldAnew(other, id);
    expect(contactsOfOthers(anew)).toEqual([]);
    const wanted = contactsOf(
      keepContacts({ ...other, layers: other.layers.slice(0, 1) })!.project.layers[1],
    )!;
    expect(contactsOf(anew.layers[1])!.limbs).toEqual(wanted.limbs);
    // A base that is merged of both stands when they did.
    const run = { from: 0, to: 1, kind: 'base' as const, solo: false, group: undefined };
    const merged = {
      ...second,
      id: 'merged',
      source: { ...second.source, id: 'merged' },
      contacts: undefined,
    };
    const made = putMerged(anew, run, { content: playing('merged'), take: merged });
    const spans = made.takes.at(-1)!.contacts!.spans;
    for (const [limb, { spans: held }] of Object.entries(wanted.limbs)) {
      const foot =
        anew.rig.joints[
          compiledLimbs(anew.rig, {})
            .find(({ name }) => name === limb)!
            .chain.at(-1)!
        ].name;
      expect(spans.filter(({ joint }) => joint === foot).map(({ from, to }) => [from, to])).toEqual(
        held.map(([from, to]) => [from + 0, to]),
      );
    }
  });
});
