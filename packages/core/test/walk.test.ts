import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { findingSteps } from '../src/check/index.js';
import {
  addWalk,
  changeRate,
  keepContacts,
  projectFromCharacter,
  putWalk,
  walkAtEase,
  walkRefusal,
} from '../src/edit/index.js';
import {
  compileStack,
  contactsOf,
  evaluateStack,
  finished,
  type LayerWalk,
  type Project,
  type Rig,
  restPose,
  walkOf,
} from '../src/index.js';
import { froudeNumber, RUNS } from '../src/motion/index.js';
import { globalMatrices } from '../src/rig/index.js';
import { dog, person, spider } from './bodies.js';

/** A project of a character alone, of ten cycles or so. */
const alone = (rig: Rig, fps = 30, metresPerUnit = 1): Project => ({
  ...projectFromCharacter({
    name: 'walk',
    rig,
    figure: { id: 'walk', bytes: new Uint8Array() },
    takes: [],
  }),
  fps,
  range: [0, 10 * fps],
  metresPerUnit,
});

const walking = (project: Project, values: Partial<LayerWalk> = {}): Project => {
  const added = addWalk(project, project.layers[0].id)!;
  return putWalk(added.project, added.id, { ...walkAtEase(project)!.walk, ...values });
};

/** The same body in centimetres. */
const inCentimetres = (rig: Rig): Rig => ({
  ...rig,
  joints: rig.joints.map((joint) => ({
    ...joint,
    translation: joint.translation.map((value) => 100 * value) as never,
    ends: joint.ends.map((end) => end.map((value) => 100 * value) as never),
  })),
});

type At = (joint: string) => readonly number[];

/** Columns of global matrices at a frame, by the name of the joint: 16 numbers. */
function reader(project: Project): (frame: number) => At {
  const stack = compileStack(project);
  const { rig } = project;
  const pose = restPose(rig);
  return (frame) => {
    evaluateStack(stack, frame, pose);
    const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length)).slice();
    return (name) => {
      const j = rig.joints.findIndex((joint) => joint.name === name);
      return [...matrices.subarray(16 * j, 16 * j + 16)];
    };
  };
}
const place = (at: At, joint: string) => at(joint).slice(12, 15);
const DEGREES = 180 / Math.PI;
/** Degrees by which a bone leans forward from straight down; the character looks along Z. */
const forward = (at: At, from: string, to: string): number => {
  const [a, b] = [place(at, from), place(at, to)];
  return Math.atan2(b[2] - a[2], a[1] - b[1]) * DEGREES;
};
/** Numbers at so many moments of the second cycle. */
function overCycle<T>(project: Project, walk: LayerWalk, count: number, of: (at: At) => T): T[] {
  const length = (120 / walk.cadence) * project.fps;
  const read = reader(project);
  return Array.from({ length: count }, (_, k) => of(read(length * (1 + k / count))));
}
const spread = (values: readonly number[]) => Math.max(...values) - Math.min(...values);

describe('a walk by rule', () => {
  const project = walking(alone(WICK));
  const walk = walkOf(project.layers[0])!;
  const over = <T>(of: (at: At) => T) => overCycle(project, walk, 240, of);

  // Perry and Burnfield, Gait Analysis, 2010, and Winter, Biomechanics and Motor Control of Human Movement, 2009.
  it('has the speed and the cadence of a person', () => {
    expect(walk.speed).toBeGreaterThanOrEqual(1.3);
    expect(walk.speed).toBeLessThanOrEqual(1.4);
    expect(walk.cadence).toBeGreaterThanOrEqual(110);
    expect(walk.cadence).toBeLessThanOrEqual(120);
    const read = reader(project);
    const seconds = 6;
    const way = place(read(seconds * project.fps), 'Hips')[2] - place(read(0), 'Hips')[2];
    expect(way / seconds).toBeCloseTo(walk.speed, 1);
  });

  it('stands about 60 % of a cycle on each foot, on both twice for about 10 %', () => {
    // A foot is down while its toes or its heel, which lies as deep below the ankle as it does at rest, are on the floor.
    const rest = reader(alone(WICK))(0);
    const heel = (at: At, side: string) => {
      const m = at(`${side}Foot`);
      const back = [0, -place(rest, `${side}Foot`)[1], -0.06];
      return m[1] * back[0] + m[5] * back[1] + m[9] * back[2] + m[13];
    };
    const down = (at: At, side: string) =>
      heel(at, side) < 0.002 || place(at, `${side}Toes`)[1] < place(rest, `${side}Toes`)[1] + 0.001;
    const feet = over((at) => [down(at, 'Left'), down(at, 'Right')]);
    const share = (of: (feet: readonly boolean[]) => boolean) => feet.filter(of).length / feet.length;
    expect(share(([left]) => left)).toBeCloseTo(0.6, 1);
    expect(share(([, right]) => right)).toBeCloseTo(0.6, 1);
    expect(share(([left, right]) => left && right)).toBeGreaterThan(0.15);
    expect(share(([left, right]) => left && right)).toBeLessThan(0.25);
    expect(share(([left, right]) => !left && !right)).toBe(0);
  });

  it('carries the pelvis 4 to 5 cm up and down, turns it by about 4° and lists it by about 5° each way', () => {
    const height = spread(over((at) => place(at, 'Hips')[1]));
    expect(height).toBeGreaterThan(0.04);
    expect(height).toBeLessThan(0.05);
    const across = over((at) => {
      const [left, right] = [place(at, 'LeftUpperLeg'), place(at, 'RightUpperLeg')];
      return left.map((value, axis) => value - right[axis]);
    });
    expect(Math.abs(spread(across.map(([x, , z]) => Math.atan2(z, x) * DEGREES)) - 8)).toBeLessThan(1);
    const list = spread(across.map(([x, y, z]) => Math.atan2(y, Math.hypot(x, z)) * DEGREES));
    expect(Math.abs(list - 10)).toBeLessThan(1);
  });

  it('brings the hip about 30° forward and 10° back, and bends the knee by about 60° in the air', () => {
    const hip = over((at) => forward(at, 'LeftUpperLeg', 'LeftLowerLeg'));
    expect(Math.abs(Math.max(...hip) - 33)).toBeLessThan(6);
    expect(Math.abs(Math.min(...hip) + 13)).toBeLessThan(6);
    const knee = over(
      (at) => forward(at, 'LeftUpperLeg', 'LeftLowerLeg') - forward(at, 'LeftLowerLeg', 'LeftFoot'),
    );
    expect(Math.abs(Math.max(...knee) - 60)).toBeLessThan(6);
    expect(Math.min(...knee)).toBeGreaterThan(0);
  });

  it('runs near a Froude number of 0.5 (Alexander 1989), whatever the size', () => {
    // 2.1 m/s is where a person with legs of 0.9 m starts to run.
    expect(froudeNumber(2.1, 0.9)).toBeCloseTo(RUNS, 2);
    for (const rig of [WICK, person(5, 0).build().rig]) {
      const ease = walkAtEase(alone(rig))!;
      expect(froudeNumber(ease.walk.speed, ease.leg)).toBeCloseTo(0.2, 1);
    }
  });

  const CASES: [string, Project][] = [
    ['Wick', alone(WICK)],
    ['Wick in centimetres, at 24', alone(inCentimetres(WICK), 24, 0.01)],
    ['Wick at 120', alone(WICK, 120)],
    ['Brindle', alone(BRINDLE)],
    ['a person of code', alone(person(5, 0).build().rig)],
    ['a dog of code', alone(dog().build().rig, 60)],
  ];
  it.each(CASES)('slides by less than a millimetre: %s', (_, plain) => {
    const legs = /Fore|Hind/.test(Object.values(plain.parts).join()) ? 4 : 2;
    for (const values of [{}, { speed: walkAtEase(plain)!.walk.speed * 0.6, bounce: 1, stance: 0.7 }]) {
      const project = walking(plain, values);
      expect(
        finished(findingSteps(project)).filter(({ kind }) => kind === 'slide' || kind === 'floor'),
      ).toEqual([]);
      // And by the joints themselves: what stands is where it came down, at a rate of its own.
      const kept = contactsOf(keepContacts(project)!.project.layers.at(-1)!)!;
      expect(Object.keys(kept.limbs)).toHaveLength(legs);
      const read = reader(project);
      for (const { points, spans } of Object.values(kept.limbs)) {
        const [from, to] = spans[1];
        // The last joint of the foot: toes where there are any.
        const { joint } = points.at(-1)!;
        const places = Array.from({ length: 40 }, (_, k) =>
          place(read(from + ((to - from) * k) / 39), joint),
        );
        for (const axis of [0, 2])
          expect(spread(places.map((at) => at[axis])) * plain.metresPerUnit).toBeLessThan(0.001);
      }
    }
  });

  it('goes on cycle after cycle, or stays in place', () => {
    const along = reader(walking(alone(BRINDLE)));
    const still = reader(walking(alone(BRINDLE), { travels: false }));
    const ease = walkAtEase(alone(BRINDLE))!.walk;
    const cycle = (120 / ease.cadence) * 30;
    for (const frame of [3, 11.5]) {
      const [a, b] = [along(frame), along(frame + 4 * cycle)];
      const [c, d] = [still(frame), still(frame + 4 * cycle)];
      for (const joint of ['Hips', 'LeftHindToes', 'Head'])
        for (const axis of [0, 1, 2]) {
          const gone = axis === 2 ? (4 * ease.speed * 120) / ease.cadence : 0;
          expect(place(b, joint)[axis] - place(a, joint)[axis]).toBeCloseTo(gone, 5);
          expect(place(d, joint)[axis]).toBeCloseTo(place(c, joint)[axis], 5);
          const here = axis === 2 ? (ease.speed * frame) / 30 : 0;
          expect(place(a, joint)[axis] - here).toBeCloseTo(place(c, joint)[axis], 2);
        }
    }
  });

  it('is keys, made anew by its numbers until they are changed by hand, at any rate', () => {
    const plain = alone(WICK);
    const faster = putWalk(project, project.layers[0].id, { ...walk, speed: 1.6, cadence: 124 });
    expect(walkOf(faster.layers[0])?.speed).toBe(1.6);
    expect(faster.layers[0].applied).toHaveLength(1);
    // Numbers set there and back are the walk of before.
    const back = putWalk(faster, faster.layers[0].id, walk);
    for (const frame of [0, 7.3, 40])
      expect(place(reader(back)(frame), 'LeftFoot')).toEqual(place(reader(project)(frame), 'LeftFoot'));
    const at60 = changeRate(project, 60);
    expect(walkOf(at60.layers[0])).toEqual(walk);
    for (const frame of [5, 33.5])
      for (const axis of [0, 1, 2])
        expect(place(reader(at60)(2 * frame), 'LeftFoot')[axis]).toBeCloseTo(
          place(reader(project)(frame), 'LeftFoot')[axis],
          5,
        );
    // Above a base that holds something it is a layer of its own.
    const second = addWalk(project, project.layers[0].id)!;
    expect(second.project.layers).toHaveLength(2);
    expect(walkOf(second.project.layers[1])).toBeDefined();
    expect(walkRefusal(plain)).toBeUndefined();
    const without = alone(spider().build().rig);
    expect(walkRefusal(without)).toMatch(/legs/);
    expect(addWalk(without, without.layers[0].id)).toBeUndefined();
  });
});
