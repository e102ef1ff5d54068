import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import {
  causesOf,
  FINDING_LIMITS,
  type Finding,
  type FindingKind,
  findingKey,
  findingSteps,
  GRADES,
  headroomSteps,
  likeFindings,
} from '../src/check/index.js';
import { leanFor } from '../src/check/lean.js';
import { keepContacts, projectFromTake, stayUnderSteps, valueAt } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  type Channels,
  compileStack,
  evaluateStack,
  finished,
  keyed,
  type Layer,
  NOTHING_KEPT,
  newKey,
  newLayer,
  newTarget,
  type Project,
  playing,
  restPose,
  sceneOf,
  type Take,
  type TargetPlace,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { findParts, placePose } from '../src/rig/index.js';
import { emptyTrack } from '../src/take/index.js';
import { anyGroundedProject } from './any-ground.js';
import { captureBytes, rigOf } from './capture.js';

/** A person of 1.7 m, in metres, arms hanging a little out. */
const RIG = rigOf([
  ['Hips', -1, [0, 0.9, 0]],
  ['Spine', 0, [0, 0.25, 0]],
  ['Head', 1, [0, 0.35, 0]],
  ['LeftUpperArm', 1, [0.2, 0.25, 0]],
  ['LeftForearm', 3, [0.12, -0.25, 0]],
  ['LeftHand', 4, [0.06, -0.24, 0.04]],
  ['RightUpperArm', 1, [-0.2, 0.25, 0]],
  ['RightForearm', 6, [-0.12, -0.25, 0]],
  ['RightHand', 7, [-0.06, -0.24, 0.04]],
  ['LeftThigh', 0, [0.12, -0.05, 0]],
  ['LeftShin', 9, [0, -0.4, 0.02]],
  ['LeftFoot', 10, [0, -0.39, -0.02]],
  ['RightThigh', 0, [-0.12, -0.05, 0]],
  ['RightShin', 12, [0, -0.4, 0.02]],
  ['RightFoot', 13, [0, -0.39, -0.02]],
]);

/** A take of a body that breathes a little, knees slightly bent, both feet standing all the time. */
function calm(): Take {
  const count = 91;
  const rotations: number[] = [];
  for (let s = 0; s < count; s++)
    for (const { name } of RIG.joints) {
      const sway = 0.02 * Math.sin((2 * Math.PI * s) / 60);
      const angle = name === 'Spine' ? sway : name === 'Head' ? 0.06 * sway : /Forearm/.test(name) ? -0.3 : 0;
      rotations.push(Math.sin(angle / 2), 0, 0, Math.cos(angle / 2));
    }
  return {
    id: 'calm',
    name: 'calm',
    rig: RIG,
    source: { id: 'calm', file: 'calm.bvh', bytes: new Uint8Array() },
    count,
    interval: 1 / 30,
    rotations: { joints: Int32Array.from(RIG.joints.keys()), size: 4, values: Float64Array.from(rotations) },
    translations: { joints: new Int32Array(), size: 3, values: new Float64Array() },
    scales: { joints: new Int32Array(), size: 3, values: new Float64Array() },
    faces: emptyTrack(1),
    contacts: {
      limits: { height: 0.04, speed: 0.3 },
      joints: ['LeftFoot', 'RightFoot'],
      spans: [
        { joint: 'LeftFoot', from: 0, to: 40 },
        { joint: 'LeftFoot', from: 50, to: 90 },
        { joint: 'RightFoot', from: 0, to: 90 },
      ],
    },
  };
}

const TAKE = calm();
const projectOf = (...layers: readonly Layer[]): Project => ({
  name: 'clean',
  fps: 30,
  range: [0, 90],
  metresPerUnit: 1,
  scene: sceneOf(RIG),
  rig: RIG,
  parts: findParts(RIG),
  takes: [TAKE],
  mappings: [],
  ...NOTHING_KEPT,
  limbs: { trunk: null },
  layers: [newLayer('Base', 'override', { id: 'base', content: playing('calm') }), ...layers],
});
const found = (project: Project): Finding[] => finished(findingSteps(project));
const curve = (...keys: readonly (readonly [number, number])[]) => ({
  keys: keys.map(([frame, value]) => newKey(frame, value, 'linear')),
});
const additive = (id: string, channels: Channels, values: Partial<Layer> = {}) =>
  newLayer(id, 'additive', { id, content: keyed(channels), ...values });

/** A foot moved by a target, so that nothing else changes: `[frame, along x, up]`. */
const footMoved = (id: string, ...at: readonly (readonly [number, number, number])[]) =>
  newLayer(id, 'additive', {
    id,
    axes: 'world',
    content: keyed({}, [
      newTarget('LeftFoot', {
        at: {
          tx: curve(...at.map(([frame, x]) => [frame, x] as const)),
          ty: curve(...at.map(([frame, , y]) => [frame, y] as const)),
          tz: 0,
        },
      }),
    ]),
  });

describe('findings', () => {
  it('are none in a clean clip', () => {
    expect(found(projectOf())).toEqual([]);
  });

  // Each fault is put into the clean clip at a known place and size.
  const planted: readonly [
    what: string,
    layer: Layer,
    wanted: Partial<Finding> & { kind: FindingKind },
    size: number,
  ][] = [
    [
      'a foot that slides 4 cm between frames 10 and 20',
      footMoved('slides', [0, 0, 0], [10, 0, 0], [20, -0.04, 0], [40, -0.04, 0], [45, 0, 0]),
      { kind: 'slide', joint: 'LeftFoot', from: 0, to: 40, unit: 'cm', grade: 'warn' },
      4,
    ],
    [
      'a foot that is 3 cm above the floor at 60 to 70',
      footMoved('hovers', [55, 0, 0], [60, 0, 0.03], [70, 0, 0.03], [75, 0, 0]),
      { kind: 'floor', joint: 'LeftFoot', unit: 'cm', grade: 'warn' },
      3,
    ],
    [
      'an elbow bent backwards by 47 degrees at 30',
      additive('backwards', { LeftForearm: { rx: curve([20, 0], [30, 75], [40, 0]) } }),
      { kind: 'range', joint: 'LeftForearm', frame: 30, unit: 'degrees', more: 'backwards' },
      // The bones (0.12, -0.25, 0) and (0.06, -0.24, 0.04), the lower one turned by 75 - 17.2 degrees about x: by hand 46.7.
      46.7,
    ],
    [
      'a head turned by 60 degrees, which no take does',
      additive('turned', { Head: { ry: curve([20, 0], [40, 60], [60, 0]) } }),
      { kind: 'range', joint: 'Head', frame: 40, unit: 'degrees', grade: 'warn' },
      60,
    ],
    [
      'a hand wanted 10 cm beyond the length of its arm',
      newLayer('reach', 'override', {
        id: 'reach',
        weight: curve([28, 0], [29, 0], [30, 1], [31, 0]),
        content: keyed({}, [
          newTarget('LeftHand', { at: { tx: 0.2 + 0.2799 + 0.2506 + 0.1, ty: 1.4, tz: 0 } }),
        ]),
      }),
      { kind: 'stretch', joint: 'LeftHand', frame: 30, unit: 'cm', grade: 'fault' },
      10,
    ],
  ];
  it.each(planted)('tell of %s, there and nowhere else', (_, layer, wanted, size) => {
    const all = found(projectOf(layer));
    const [first] = all.filter(({ kind, more }) => kind === wanted.kind && more === wanted.more);
    expect(first, JSON.stringify(all)).toMatchObject(wanted);
    expect(Math.abs(first.amount - size)).toBeLessThan(0.12 * size);
    expect(new Set(all.map(findingKey)).size, 'one finding of each').toBe(all.length);
    // Other joints and other times are left in peace; what a stretched or twisted arm does besides is its own.
    for (const one of all) {
      if (one.joint === wanted.joint) continue;
      expect(['pop', 'range', 'through'], JSON.stringify(one)).toContain(one.kind);
      expect(Math.abs(one.frame - first.frame)).toBeLessThan(20);
    }
  });

  it('of joints that no take moves keep to what a body can do', () => {
    const turned = (degrees: number) =>
      found(projectOf(additive('bent', { LeftHand: { rx: curve([20, 0], [40, degrees], [60, 0]) } }))).filter(
        ({ kind, joint }) => kind === 'range' && joint === 'LeftHand',
      );
    // The American Academy of Orthopaedic Surgeons has 80 degrees for a wrist (value from memory).
    expect(turned(75)).toEqual([]);
    expect(turned(110)[0].amount).toBeCloseTo(30, 0);
  });

  it('that are alike are one entry, the gravest first', () => {
    const nod = curve([10, 0], [14, 50], [18, 0], [40, 0], [44, 70], [48, 0], [70, 0], [74, 45], [78, 0]);
    const all = found(projectOf(additive('nods', { Head: { rx: nod } })));
    const entries = likeFindings(all);
    expect(entries.flatMap((one) => one.all)).toHaveLength(all.length);
    expect(
      new Set(entries.map(({ worst }) => `${worst.kind} ${worst.more} ${worst.joint} ${worst.other}`)).size,
    ).toBe(entries.length);
    const range = entries.find(({ worst }) => worst.kind === 'range' && worst.joint === 'Head')!;
    expect(range.all.map(({ frame }) => frame)).toEqual([14, 44, 74]);
    expect(range.worst.frame).toBe(44);
    const grades = entries.map(({ worst }) => GRADES.indexOf(worst.grade));
    expect(grades).toEqual([...grades].sort((a, b) => b - a));
  });

  it('note where limbs snap, as is inherent in how they bend: nearly straight, away from a direction, come round', () => {
    const top = [0.2, 1.4, 0];
    const full = Math.hypot(0.12, 0.25) + Math.hypot(0.06, 0.24, 0.04);
    const reach = (toward?: TargetPlace) =>
      newLayer('reach', 'override', {
        id: 'reach',
        content: keyed({}, [
          newTarget('LeftHand', {
            at: { tx: top[0] + (toward ? 0.4 : 0.998 * full), ty: top[1], tz: 0 },
            toward,
          }),
        ]),
      });
    const snaps = (project: Project) =>
      found(project).filter(({ more }) => /straight|opposite|round/.test(more ?? ''));
    const [straight, ...others] = snaps({ ...projectOf(reach()), range: [0, 1] });
    expect(others).toEqual([]);
    expect(straight).toMatchObject({ joint: 'LeftHand', more: 'straight', grade: 'note', unit: 'cm' });
    // 0.3 % of its length beyond 99.5 %.
    expect(straight.amount).toBeCloseTo(0.3 * full, 3);
    // Of 36 directions all round the arm two lie within 10 degrees of the one that is opposite to its elbow.
    const opposite = Array.from({ length: 36 }, (_, k) => {
      const angle = (k * Math.PI) / 18;
      const toward = { tx: top[0] + 0.2, ty: top[1] + Math.cos(angle), tz: Math.sin(angle) };
      return snaps({ ...projectOf(reach(toward)), range: [0, 1] });
    });
    expect(opposite.filter((notes) => notes.length > 0)).toHaveLength(2);
    for (const { more, amount } of opposite.flat()) {
      expect(more).toBe('opposite');
      expect(amount).toBeLessThanOrEqual(10);
    }
    // A knee bent backwards by 6 degrees could not become so much shorter within 10: it comes round.
    const backwards = additive('backwards', { LeftShin: { rx: curve([0, -12]) } });
    const lifted = footMoved('lifted', [0, 0, 0], [20, 0, 0], [30, 0, 0.1], [40, 0, 0]);
    const round = snaps(projectOf(backwards, lifted)).filter(({ more }) => more === 'round');
    expect(round).toHaveLength(1);
    expect(round[0]).toMatchObject({ joint: 'LeftFoot', frame: 30, unit: 'degrees', grade: 'note' });
    expect(round[0].amount).toBeGreaterThan(40);
  });

  it('tell of a pop by the closed form of a step: its size times the square of the rate', () => {
    // The hips step 2 cm aside from frame 45 to 46: 0.02 · 30² = 18 m/s², in two accelerations; at 10 cm 90 m/s².
    const step = additive('steps', {
      Hips: { tx: { keys: [newKey(45, 0, 'hold'), newKey(46, 0.1, 'hold')] } },
    });
    const pops = found(projectOf(step)).filter(({ kind }) => kind === 'pop');
    expect(pops).toHaveLength(1);
    expect(pops[0]).toMatchObject({ joint: 'Hips', unit: 'm/s²', grade: 'warn' });
    expect(pops[0].amount).toBeCloseTo(0.1 * 30 * 30, 6);
    expect([45, 46]).toContain(pops[0].frame);
    const small = additive('small', {
      Hips: { tx: { keys: [newKey(45, 0, 'hold'), newKey(46, 0.02, 'hold')] } },
    });
    expect(found(projectOf(small)).filter(({ kind }) => kind === 'pop')).toEqual([]);
  });

  it('tell of a hand in the trunk, and not of what touches at rest', () => {
    const arm = newLayer('into', 'override', {
      id: 'into',
      span: { start: 30, end: 50, fadeIn: 5, fadeOut: 5 },
      content: keyed({}, [newTarget('RightHand', { at: { tx: 0, ty: 1.25, tz: 0.02 } })]),
    });
    const through = found(projectOf(arm)).filter(({ kind }) => kind === 'through');
    expect(through.length).toBeGreaterThan(0);
    for (const { joint, other, from, to } of through) {
      expect(`${joint} ${other}`).toMatch(/Right(Forearm|Hand|UpperArm)/);
      expect(from).toBeGreaterThanOrEqual(30);
      expect(to).toBeLessThanOrEqual(50);
    }
    expect(Math.max(...through.map(({ amount }) => amount))).toBeGreaterThan(FINDING_LIMITS.through[2]);
  });

  it('tell of layers that do nothing, that are covered, of keys outside, of a take that is short, of a loop that jumps', () => {
    const turned = (degrees: number) => ({ Head: { ry: curve([10, degrees]) } });
    const whole = keyed({ Head: { rx: curve([0, 1]), ry: curve([0, 1]), rz: curve([0, 1]) } });
    const looped = additive(
      'loops',
      { Spine: { rz: curve([0, 0], [30, 8]) } },
      { time: { offset: 0, speed: 1, loop: 'repeat' } },
    );
    const project = projectOf(
      additive('idle', turned(5), { weight: 0 }),
      additive('covered', turned(5)),
      additive('late', { Spine: { rx: curve([10, 0], [120, 1]) } }),
      newLayer('cover', 'override', { id: 'cover', content: whole }),
      looped,
    );
    const all = found({ ...project, range: [0, 100] });
    const kinds = Object.fromEntries(
      all.filter(({ layer }) => layer).map((one) => [`${one.kind} ${one.layer}`, one]),
    );
    expect(Object.keys(kinds).sort()).toEqual([
      'covered covered',
      'idle idle',
      'loop loops',
      'outside late',
      'short base',
    ]);
    expect(kinds['outside late']).toMatchObject({ frame: 120, amount: 20, unit: 'frames' });
    expect(kinds['short base']).toMatchObject({ from: 90, to: 100, amount: 10 });
    expect(kinds['loop loops'].amount).toBeCloseTo(8, 1);
  });
});

describe('causes', () => {
  const slides = footMoved('slides', [0, 0, 0], [10, 0, 0], [20, -0.03, 0], [40, -0.03, 0], [45, 0, 0]);

  it('sum to the amount, are the same for layers that do the same, and none for one that does nothing', () => {
    // The axioms of Shapley (1953): efficiency, symmetry, dummy.
    const twin = { ...slides, id: 'twin', name: 'twin' };
    const still = additive('still', { LeftThigh: { rx: curve([0, 0]) } });
    const project = projectOf(slides, twin, still);
    const [slide] = found(project).filter(({ kind }) => kind === 'slide');
    const { causes, error } = causesOf(project, slide);
    expect(error).toBe(0);
    expect(causes.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(slide.amount, 9);
    expect(causes.map(({ layer }) => layer).sort()).toEqual(['slides', 'twin']);
    expect(causes[0].amount).toBeCloseTo(causes[1].amount, 2);
  });

  it('of a head that two layers turn are what each turns it by, whatever lies between', () => {
    const project = projectOf(
      additive('a', { Head: { ry: curve([0, 30]) } }),
      additive('arm', { LeftForearm: { rx: curve([0, -5]) } }),
      additive('b', { Head: { ry: curve([0, 20]) } }),
    );
    const [turn] = found(project).filter(({ kind, joint }) => kind === 'range' && joint === 'Head');
    const { causes } = causesOf(project, turn);
    // v(a) = 30, v(b) = 20, v(ab) = 50: by hand the mean over both orders, less what the take itself turns, under 0.1.
    expect(causes).toHaveLength(2);
    expect(causes[0]).toMatchObject({ layer: 'a' });
    expect(causes[0].amount).toBeCloseTo(30, 0);
    expect(causes[1].amount).toBeCloseTo(20, 0);
    expect(causes[0].amount - causes[1].amount).toBeCloseTo(10, 3);
  });

  it('are measured on fewer keys and samples, which leave the joints that are looked at where they are', () => {
    fc.assert(
      fc.property(anyGroundedProject, fc.nat(), fc.integer({ min: 0, max: 24 }), (project, n, frame) => {
        const joint = n % project.rig.joints.length;
        const at = (of: Project) => {
          const pose = restPose(of.rig);
          evaluateStack(compileStack(of), frame, pose);
          return [...placePose(of.rig, pose).matrices.subarray(16 * joint, 16 * joint + 16)];
        };
        const [whole, lean] = [at(project), at(leanFor(project, [joint]))];
        for (const [k, value] of whole.entries()) expect(Math.abs(lean[k] - value)).toBeLessThan(1e-6);
      }),
      { numRuns: 300 },
    );
  });

  it('under contacts that hold with half their weight are the layer that was planted', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const plain = { ...projectFromTake(take), fps: 120 };
    const known = { ...take, contacts: findContacts(take, plain.metresPerUnit) };
    const first: string[] = [];
    for (let seed = 1; seed <= 16; seed++) {
      const next = random(seed);
      const stances = known.contacts.spans.filter(({ from, to }) => to - from > 100);
      const { joint, from, to } = stances[Math.floor(next() * stances.length)];
      const open = { ...plain, takes: [known], range: [Math.max(0, from - 40), to + 40] as const };
      const { project } = keepContacts(open)!;
      const [base, held] = project.layers;
      // A thigh that swings the foot by 8 cm while it stands, among layers that do other things.
      const degrees = ((next() < 0.5 ? 1 : -1) * ((8 / 100 / plain.metresPerUnit / 15) * 180)) / Math.PI;
      const [a, b] = [from + 0.3 * (to - from), from + 0.6 * (to - from)];
      const bad = newLayer('bad', 'additive', {
        content: keyed({
          [joint.replace('Foot', 'UpLeg')]: { rx: { keys: [newKey(a, 0), newKey(b, degrees)] } },
        }),
      });
      const turning = (name: string, at: string) =>
        newLayer(name, 'additive', {
          content: keyed({ [at]: { ry: { keys: [newKey(from, 5 * next()), newKey(to, -5 * next())] } } }),
        });
      const others = [turning('lean', 'LowerBack'), turning('nod', 'Neck'), turning('wave', 'LeftArm')];
      others.splice(Math.floor(4 * next()), 0, bad);
      const whole = { ...project, layers: [base, ...others, { ...held, weight: 0.5 }] };
      const [slide] = found(whole)
        .filter((one) => one.kind === 'slide' && one.joint === joint && one.from < b && one.to > a)
        .sort((one, other) => other.amount - one.amount);
      const { causes } = causesOf(whole, slide);
      expect(causes.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(slide.amount, 6);
      first.push(whole.layers.find(({ id }) => id === causes[0].layer)!.name);
    }
    expect(first).toEqual(first.map(() => 'bad'));
  });

  it('of more layers than can be tried in every set are taken in blocks, near the exact ones, and say how near', () => {
    const next = random(5);
    const layers = Array.from({ length: 11 }, (_, k) =>
      additive(`l${k}`, { Head: { ry: curve([0, 4 + 6 * next()]) } }),
    );
    const project = projectOf(...layers);
    const [turn] = found(project).filter(({ kind, joint }) => kind === 'range' && joint === 'Head');
    const { causes, error } = causesOf(project, turn);
    expect(causes.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(turn.amount, 6);
    expect(error).toBeLessThan(0.2);
    // Turns about one axis are summed, so that each layer's share is its own turn.
    for (const { layer, amount } of causes) {
      const own = layers.find(({ id }) => id === layer)!.content;
      const degrees = own.kind === 'curves' ? own.channels.Head.ry!.keys[0].value : 0;
      expect(Math.abs(amount - degrees)).toBeLessThan(Math.max(0.05, 4 * error));
    }
  });
});

describe('headroom', () => {
  it('has nothing below the ceiling and something a step above it, on drawn stacks', () => {
    for (let seed = 1; seed <= 4; seed++) {
      const next = random(seed);
      const twist = additive(
        'twist',
        {
          Head: { ry: curve([0, 0], [30, 40 + 40 * next()], [60, 10], [90, 60 * next()]) },
          LeftForearm: { rx: curve([0, 0], [45, 30 + 30 * next()], [90, 0]) },
        },
        { weight: 0.5 },
      );
      const project = projectOf(additive('below', { Head: { rx: curve([0, 10 * next()]) } }), twist);
      const { ceiling, frames, most } = finished(headroomSteps(project, 'twist', undefined));
      expect(most).toBe(2);
      const step = most / 200;
      // A run of findings with notes from the warnings on is the frames in which there is one.
      const strict = Object.fromEntries(
        Object.entries(FINDING_LIMITS).map(([kind, [, warn, fault]]) => [kind, [warn, warn, fault]]),
      ) as unknown as typeof FINDING_LIMITS;
      const warned = (weight: number, frame: number) =>
        finished(
          findingSteps({ ...project, layers: [...project.layers.slice(0, 2), { ...twist, weight }] }, strict),
        ).some(
          ({ kind, grade, from, to }) => kind !== 'pop' && grade !== 'note' && frame >= from && frame <= to,
        );
      let limited = 0;
      for (let f = 0; f < frames.length; f += 15) {
        if (ceiling[f] > step)
          expect(warned(ceiling[f] - step / 100, frames[f]), `${seed} below at ${f}`).toBe(false);
        if (ceiling[f] >= most) continue;
        limited++;
        expect(warned(ceiling[f] + 2 * step, frames[f]), `${seed} above at ${f}`).toBe(true);
      }
      expect(limited).toBeGreaterThan(1);
    }
  });

  it('is stayed under by a weight that is smooth, nowhere above it, and as it was where there is room', () => {
    const twist = additive(
      'twist',
      { Head: { ry: curve([0, 0], [30, 80], [60, 0], [90, 10]) } },
      { weight: 1.2 },
    );
    const project = projectOf(twist);
    const room = finished(headroomSteps(project, 'twist', undefined));
    const under = finished(stayUnderSteps(project, room));
    const [, layer] = under.layers;
    const weights = Array.from(room.frames, (frame) =>
      valueAt(under, { kind: 'weight', layer: 'twist' }, frame),
    );
    for (const [k, weight] of weights.entries()) {
      expect(weight).toBeLessThanOrEqual(Math.min(1.2, room.ceiling[k]) + 1e-6);
      expect(weight).toBeGreaterThanOrEqual(0);
      // No frame changes it by more than a fifteenth of what it was turned down from: it comes and goes.
      if (k > 0) expect(Math.abs(weight - weights[k - 1])).toBeLessThan(0.12);
    }
    expect(Math.min(...weights)).toBeLessThan(0.7);
    expect(weights[80]).toBeCloseTo(1.2, 9);
    expect(layer.content).toBe(twist.content);
    const grave = (of: Project) =>
      found(of).filter(({ kind, grade }) => kind === 'range' && grade !== 'note');
    expect(grave(project)).toHaveLength(1);
    expect(grave(under)).toEqual([]);
    // Where nothing is above the ceiling, nothing is done.
    const low = projectOf({ ...twist, weight: 0.2 });
    expect(finished(stayUnderSteps(low, finished(headroomSteps(low, 'twist', undefined))))).toBe(low);
  });
});

describe('a long range', () => {
  it('is gone through in windows that find the same, around a frame first', () => {
    const { take } = readTake('01_01.bvh', captureBytes());
    const plain = projectFromTake(take);
    const contacts = findContacts(take, plain.metresPerUnit);
    const sway = {
      keys: [0, 700, 1500, 2300].map((frame, k) => newKey(frame, k % 2 === 0 ? 0 : 3)),
    };
    const project: Project = {
      ...plain,
      takes: [{ ...take, contacts }],
      range: [0, 2400],
      layers: [
        { ...plain.layers[0], time: { offset: 0, speed: 1, loop: 'travel', cycle: [400, 1700] } },
        newLayer('Sway', 'additive', { content: keyed({ Hips: { tx: sway } }) }),
      ],
    };
    const parts: number[] = [];
    const first: Finding[][] = [];
    const windows = finished(
      findingSteps(project, undefined, {
        held: 1,
        near: 2000,
        onWindow(some, part) {
          parts.push(part);
          first.push([...some]);
        },
      }),
    );
    const whole = finished(findingSteps(project, undefined, { held: 1e12 }));
    expect(parts.length).toBeGreaterThan(0);
    // What is close to the frame comes first, and is found in the end too.
    expect(parts[0]).toBe(0);
    expect(first[0].length).toBeGreaterThan(0);
    expect(first[0].every(({ frame }) => Math.abs(frame - 2000) <= 120)).toBe(true);
    for (const one of first[0].filter(({ kind }) => kind !== 'pop'))
      expect(
        whole.some(
          ({ kind, joint, from, to, amount }) =>
            kind === one.kind &&
            joint === one.joint &&
            from <= one.from &&
            to >= one.to &&
            amount > one.amount - 1e-9,
        ),
        `${one.kind} of ${one.joint}`,
      ).toBe(true);
    expect(first[1].every(({ frame }) => frame > 1100)).toBe(true);
    // How rare a leap is, and so its grade and which of two joints it is told of, is judged within a window.
    const told = (all: readonly Finding[]) =>
      all
        .filter(({ kind }) => kind !== 'pop')
        .map(({ kind, joint, more, from, to, amount }) =>
          [kind, joint, more, from, to, amount.toFixed(6)].join(' '),
        )
        .sort();
    expect(told(windows)).toEqual(told(whole));
    const pops = (all: readonly Finding[]) => all.filter(({ kind }) => kind === 'pop');
    expect(told(whole).length).toBeGreaterThan(30);
    for (const pop of pops(whole))
      expect(pops(windows).some(({ from, to }) => from <= pop.to + 3 && to >= pop.from - 3)).toBe(true);
  });
});
