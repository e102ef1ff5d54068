import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { random } from '../bench/subject.js';
import { keyPose, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  type Pose,
  type Project,
  type Rig,
  restPose,
} from '../src/index.js';
import { angleBetween, rotate } from '../src/math/index.js';
import {
  compileLimb,
  findLimbs,
  globalMatrices,
  globalOrientations,
  type Limb,
  LimbError,
  reach,
  turnToward,
} from '../src/rig/index.js';
import { holdEnds, solvePose } from '../src/solve/index.js';
import { captureBytes, rigOf } from './capture.js';
import { drawnPose } from './drawn-pose.js';

const positionsOf = (rig: Rig, pose: Pose): number[][] => {
  const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
  return rig.joints.map((_, j) => [...matrices.subarray(16 * j + 12, 16 * j + 15)]);
};
const rotated = (by: ArrayLike<number>, way: readonly number[]): number[] => {
  const out = [...way];
  rotate(out, 0, Array.from(by), 0, out, 0);
  return out;
};
const distance = (a: readonly number[], b: readonly number[]) =>
  Math.hypot(...a.map((v, axis) => v - b[axis]));

/** A chain of bones of drawn lengths below a root, that zigzags a little at rest, and a limb over all of it. */
function drawnChain(bones: number, seed: number): { rig: Rig; limb: Limb; lengths: number[] } {
  const next = random(seed);
  const lengths = Array.from({ length: bones }, () => 0.2 + next());
  const joints: [string, number, [number, number, number]][] = [
    ['root', -1, [0, 1, 0]],
    ['c0', 0, [0.1, 0.2, 0]],
  ];
  for (const [k, length] of lengths.entries()) {
    const lean = (k % 2 === 0 ? 1 : -1) * (0.05 + 0.3 * next());
    joints.push([
      `c${k + 1}`,
      k + 1,
      [0.05 * (next() - 0.5), -length * Math.cos(lean), length * Math.sin(lean)],
    ]);
  }
  return {
    rig: rigOf(joints),
    limb: { name: 'limb', chain: ['c0', ...lengths.map((_, k) => `c${k + 1}`)], bend: [0, 0, 1] },
    lengths,
  };
}

/** Where FABRIK (Aristidou and Lasenby, 2011) brings the end of a chain of bones. */
function fabrik(points: readonly (readonly number[])[], goal: readonly number[]): number[] {
  const lengths = points.slice(1).map((p, k) => distance(p, points[k]));
  const p = points.map((point) => [...point]);
  const toward = (from: readonly number[], to: readonly number[], length: number) => {
    const d = distance(from, to) || 1e-12;
    return from.map((v, axis) => v + ((to[axis] - v) * length) / d);
  };
  for (let round = 0; round < 2000; round++) {
    p[p.length - 1] = [...goal];
    for (let k = p.length - 2; k >= 0; k--) p[k] = toward(p[k + 1], p[k], lengths[k]);
    p[0] = [...points[0]];
    for (let k = 1; k < p.length; k++) p[k] = toward(p[k - 1], p[k], lengths[k - 1]);
  }
  return p[p.length - 1];
}

describe('a limb that reaches', () => {
  it.each([2, 3, 4, 5, 6])(
    'with %d bones comes to every goal that it can reach, and keeps what it should',
    (bones) => {
      for (let seed = 1; seed <= 60; seed++) {
        const { rig, limb } = drawnChain(bones, seed);
        const pose = drawnPose(rig, seed, 40);
        const compiled = compileLimb(rig, limb);
        const before = positionsOf(rig, pose);
        const end = rig.joints.length - 1;
        const next = random(1000 + seed);
        const way = [next() - 0.5, next() - 0.5, next() - 0.5];
        const far = (0.8 + 0.2 * next()) * distance(before[1], before[end]);
        const goal = before[1].map((v, axis) => v + (far * way[axis]) / Math.hypot(...way));
        const kept = globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length)).slice(4 * end);
        const missed = reach(rig, compiled, pose, goal);
        const after = positionsOf(rig, pose);
        expect(missed, `${bones} bones, ${seed}`).toBeLessThan(1e-6);
        expect(distance(after[end], goal)).toBeLessThan(1e-6);
        // FABRIK, which bends otherwise, reaches it as well; bones keep their lengths, the end its orientation.
        expect(distance(fabrik(before.slice(1), goal), goal)).toBeLessThan(1e-3);
        for (let j = 2; j <= end; j++)
          expect(distance(after[j], after[j - 1])).toBeCloseTo(distance(before[j], before[j - 1]), 9);
        const now = globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length));
        expect(angleBetween(now, 4 * end, kept, 0)).toBeLessThan(1e-7);
        expect(after[1]).toEqual(before[1].map((v) => expect.closeTo(v, 12)));
      }
    },
  );

  it.each([
    ['a leg that a target has stretched', 0.12, 1.3],
    ['an arm that rests straight', 0, undefined],
  ])('%s bends forwards by what is lacking, and never by rounding', (_, lean, stretched) => {
    const [a, b] = [0.42, 0.4];
    const rig = rigOf([
      ['root', -1, [0, 1, 0]],
      ['top', 0, [0.1, 0, 0]],
      ['inner', 1, [0, -a * Math.cos(lean), a * Math.sin(lean)]],
      ['end', 2, [0, -b * Math.cos(lean), -b * Math.sin(lean)]],
    ]);
    const limb = compileLimb(rig, { name: 'limb', chain: ['top', 'inner', 'end'], bend: [0, 0, 1] });
    const next = random(7);
    for (let frame = 0; frame < 60; frame++) {
      // The whole body is turned somewhere.
      const pose = restPose(rig);
      const turn = [next() - 0.5, next() - 0.5, next() - 0.5, next()];
      pose.rotations.set(turn.map((value) => value / Math.hypot(...turn)));
      const way = [next() - 0.5, -1, next() - 0.5];
      const along = way.map((value) => value / Math.hypot(...way));
      const from = positionsOf(rig, pose)[1];
      const at = (share: number) => from.map((v, axis) => v + share * (a + b) * along[axis]);
      if (stretched) reach(rig, limb, pose, at(stretched));
      reach(rig, limb, pose, at(0.998));
      const [, top, inner, end] = positionsOf(rig, pose);
      const line = end.map((v, axis) => v - top[axis]);
      const length = Math.hypot(...line);
      const arm = inner.map((v, axis) => v - top[axis]);
      const share = arm.reduce((sum, v, axis) => sum + (v * line[axis]) / length, 0) / length;
      const out = arm.map((v, axis) => v - share * line[axis]);
      // Forwards is where the bend has gone with the top joint: about the axis across it, the line as the way down.
      const turns = globalOrientations(rig, pose, new Float64Array(16));
      const hinge = rotated(turns.subarray(4, 8), [-1, 0, 0]);
      const forwards = [
        hinge[1] * line[2] - hinge[2] * line[1],
        hinge[2] * line[0] - hinge[0] * line[2],
        hinge[0] * line[1] - hinge[1] * line[0],
      ];
      expect(
        out.reduce((sum, v, axis) => sum + v * forwards[axis], 0),
        `frame ${frame}`,
      ).toBeGreaterThan(0);
      // The law of cosines, for the height of the triangle.
      const d = 0.998 * (a + b);
      const cosine = (a * a + d * d - b * b) / (2 * a * d);
      expect(Math.hypot(...out)).toBeCloseTo(a * Math.sqrt(1 - cosine * cosine), 6);
    }
  });

  it('turns toward a side by less the nearer it is to its line, and of a straight limb not at all', () => {
    const rig = rigOf([
      ['root', -1, [0, 1, 0]],
      ['top', 0, [0, 0, 0]],
      ['inner', 1, [0, -0.5, 0]],
      ['end', 2, [0, -0.5, 0]],
    ]);
    const limb = compileLimb(rig, { name: 'limb', chain: ['top', 'inner', 'end'], bend: [0, 0, 1] });
    const turnedBy = (off: number) => {
      const pose = restPose(rig);
      // A limb of two halves whose knee is off the line by so much of its length is as far as Pythagoras says.
      reach(rig, limb, pose, [0, 1 - 2 * Math.sqrt(0.25 - off * off), 0]);
      turnToward(rig, limb, pose, [1, 0.5, 0]);
      const [, , inner] = positionsOf(rig, pose);
      return off === 0 ? 0 : Math.atan2(inner[0], inner[2]) / (Math.PI / 2);
    };
    expect(turnedBy(0)).toBe(0);
    expect(turnedBy(0.002)).toBeCloseTo(0, 6);
    // Smooth over 0.02: half way it is a half, at a quarter 5/32.
    expect(turnedBy(0.007)).toBeCloseTo(5 / 32, 3);
    expect(turnedBy(0.012)).toBeCloseTo(0.5, 3);
    expect(turnedBy(0.03)).toBeCloseTo(1, 6);
  });

  it('with two bones in their own plane bends as the law of cosines says', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const next = random(seed);
      const [a, b] = [0.3 + next(), 0.3 + next()];
      const rig = rigOf([
        ['root', -1, [0, 2, 0]],
        ['thigh', 0, [0, 0, 0]],
        ['shin', 1, [0, -a * Math.cos(0.3), a * Math.sin(0.3)]],
        ['foot', 2, [0, -b * Math.cos(0.3), -b * Math.sin(0.3)]],
      ]);
      const pose = restPose(rig);
      const d = Math.abs(a - b) + (a + b - Math.abs(a - b)) * (0.1 + 0.85 * next());
      const angle = 2 * Math.PI * next();
      expect(
        reach(
          rig,
          compileLimb(rig, { name: 'leg', chain: ['thigh', 'shin', 'foot'], bend: [0, 0, 1] }),
          pose,
          [0, 2 + d * Math.cos(angle), d * Math.sin(angle)],
        ),
      ).toBeLessThan(1e-9);
      const [, thigh, shin, foot] = positionsOf(rig, pose);
      const [u, v] = [thigh, foot].map((p) => p.map((value, axis) => value - shin[axis]));
      const knee = Math.acos(
        (u[0] * v[0] + u[1] * v[1] + u[2] * v[2]) / (Math.hypot(...u) * Math.hypot(...v)),
      );
      expect(knee).toBeCloseTo(Math.acos((a * a + b * b - d * d) / (2 * a * b)), 6);
    }
  });

  it('changes nothing for a goal where the end is, and stretches towards one that is too far', () => {
    const { rig, limb, lengths } = drawnChain(3, 7);
    const pose = drawnPose(rig, 7, 30);
    const before = pose.rotations.slice();
    const end = positionsOf(rig, pose)[4];
    expect(reach(rig, compileLimb(rig, limb), pose, end)).toBe(0);
    expect(pose.rotations).toEqual(before);
    const [, top] = positionsOf(rig, pose);
    const goal = [top[0] + 9, top[1] + 2, top[2] - 3];
    const missed = reach(rig, compileLimb(rig, limb), pose, goal);
    const reached = positionsOf(rig, pose)[4];
    expect(missed).toBeCloseTo(distance(reached, goal), 9);
    // It points at the goal, nearly as long as its bones.
    expect(distance(reached, goal) + distance(reached, top)).toBeCloseTo(distance(goal, top), 9);
    expect(distance(reached, top)).toBeGreaterThan(0.97 * lengths.reduce((sum, length) => sum + length, 0));
  });

  it('hardly changes anything for a goal that is off by rounding', () => {
    const next = random(11);
    for (let k = 0; k < 4000; k++) {
      const { rig, limb } = drawnChain(2 + (k % 2), 1 + k);
      const pose = drawnPose(rig, 1 + k, 40);
      const before = pose.rotations.slice();
      const places = positionsOf(rig, pose);
      const end = places[places.length - 1];
      const goal = end.map((value) => value * (1 + Math.round(8 * next() - 4) * 2 ** -53));
      reach(rig, compileLimb(rig, limb), pose, goal);
      // Where a limb is nearly straight, its bend is the root of how much longer it may become.
      const turned = Math.max(...before.map((value, i) => Math.abs(value - pose.rotations[i])));
      expect(turned, `chain ${k}`).toBeLessThan(1e-6);
    }
  });

  it('refuses bones without length and bends along the bone', () => {
    const rig = rigOf([
      ['a', -1, [0, 0, 0]],
      ['b', 0, [0, -1, 0]],
      ['c', 1, [0, 0, 0]],
    ]);
    const limb: Limb = { name: 'x', chain: ['a', 'b', 'c'], bend: [0, 0, 1] };
    expect(() => compileLimb(rig, limb)).toThrow(LimbError);
    const straight = rigOf([
      ['a', -1, [0, 0, 0]],
      ['b', 0, [0, -1, 0]],
      ['c', 1, [0, -1, 0]],
    ]);
    expect(() => compileLimb(straight, { ...limb, bend: [0, 1, 0] })).toThrow(/lies along its bone/);
  });
});

describe('a pose by the ends of limbs', () => {
  const { take } = readTake('01_01.bvh', captureBytes());
  const { rig } = take;
  const project = projectFromTake(take);
  const limbs = findLimbs(rig).map((limb) => compileLimb(rig, limb));
  const seenIn = (of: Project) => {
    const pose = restPose(rig);
    evaluateStack(compileStack(of), 60, pose);
    return pose;
  };
  const constant = (value: number) => ({ keys: [newKey(0, value)] });
  const jointNames = rig.joints.map(({ name }) => name);
  const turns = (degrees: number) =>
    keyed(Object.fromEntries(jointNames.map((name, j) => [name, { rx: constant(degrees * Math.sin(j)) }])));

  it('is seen where the hand put it, whatever the layer counts and whatever lies above', () => {
    const weight = fc.double({ min: 0.2, max: 1, noNaN: true });
    const strong = fc.double({ min: 0.7, max: 1, noNaN: true });
    const axes = fc.constantFrom('joint' as const, 'world' as const, 'character' as const);
    fc.assert(
      fc.property(
        // An override layer reaches half a turn at most, times what it counts.
        fc.oneof(
          fc.record({ mode: fc.constant('additive' as const), weight, axes }),
          fc.record({ mode: fc.constant('override' as const), weight: strong, axes }),
        ),
        fc.record({ mode: fc.constant('additive' as const), weight, axes }),
        fc.double({ min: 0, max: 0.5, noNaN: true }),
        fc.nat(limbs.length - 1),
        fc.tuple(...[0, 1, 2].map(() => fc.double({ min: -0.1, max: 0.1, noNaN: true }))),
        (own, above, covers, which, [x, y, z]) => {
          const layers = [
            newLayer('Own', 'additive', { ...own, id: 'own', content: turns(6) }),
            newLayer('Above', 'additive', { ...above, id: 'above', content: turns(9) }),
            newLayer('Covers', 'override', { id: 'covers', weight: covers, content: turns(15) }),
          ];
          const stacked = { ...project, layers: [...project.layers, ...layers] };
          const pose = seenIn(stacked);
          const { chain } = limbs[which];
          const [top, end] = [chain[0], chain[chain.length - 1]];
          const places = positionsOf(rig, pose);
          const size = distance(places[top], places[end]);
          // Nearer to the top, so that it can be reached.
          const goal = places[end].map(
            (at, axis) => at + 0.15 * (places[top][axis] - at) + size * [x, y, z][axis] * 0.5,
          );
          reach(rig, limbs[which], pose, goal);
          const wanted = new Map(
            chain.map((j) => [j, { rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)] }]),
          );
          const solved = solvePose(compileStack(stacked), 60, 1, wanted)!;
          const values = Object.fromEntries([...solved].map(([j, of]) => [rig.joints[j].name, of]));
          const [asked, shown] = [pose, seenIn(keyPose(stacked, 'own', 60, values))].map((p) =>
            positionsOf(rig, p),
          );
          // A millimetre on a figure of 1.7 m.
          const millimetre = Math.max(...places.map((p) => p[1])) / 1700;
          for (const j of chain) expect(distance(asked[j], shown[j])).toBeLessThan(millimetre);
        },
      ),
      { numRuns: 100 },
    );
  });

  it('keeps feet where they stand while the hips go down', () => {
    const before = seenIn(project);
    const legs = limbs.filter(({ name }) => name.endsWith('Leg'));
    expect(legs.length).toBe(2);
    const pose = seenIn(project);
    pose.translations[1] -= 1;
    holdEnds(rig, legs, before, pose);
    const [was, is] = [before, pose].map((p) => positionsOf(rig, p));
    const [then, now] = [before, pose].map((p) =>
      globalOrientations(rig, p, new Float64Array(4 * rig.joints.length)),
    );
    for (const { chain } of legs) {
      const end = chain[chain.length - 1];
      expect(distance(was[end], is[end])).toBeLessThan(1e-9);
      expect(angleBetween(then, 4 * end, now, 4 * end)).toBeLessThan(1e-7);
      expect(distance(was[chain[1]], is[chain[1]])).toBeGreaterThan(0.1);
    }
  });
});

describe('the limbs of a rig', () => {
  it('are arms, legs and trunk of a person, with knees ahead and elbows behind', () => {
    const chains = (rig: Rig) =>
      Object.fromEntries(findLimbs(rig).map(({ name, chain }) => [name, chain.join(' ')]));
    // Read off the two skeletons by hand.
    expect(chains(WICK)).toMatchObject({
      leftArm: 'LeftUpperArm LeftForearm LeftHand',
      rightLeg: 'RightUpperLeg RightLowerLeg RightFoot',
      trunk: 'Hips Spine Chest UpperChest Neck Head',
    });
    const { take } = readTake('01_01.bvh', captureBytes());
    expect(chains(take.rig)).toMatchObject({
      leftArm: 'LeftArm LeftForeArm LeftHand',
      leftLeg: 'LeftUpLeg LeftLeg LeftFoot',
    });
    for (const { name, bend } of findLimbs(WICK)) {
      expect(Math.hypot(...bend)).toBeCloseTo(1, 9);
      if (/Leg$/.test(name)) expect(bend[2]).toBeGreaterThan(0.5);
      if (/Arm$/.test(name)) expect(bend[2]).toBeLessThan(0);
    }
  });

  it('are all four legs of a dog down to the toes, her trunk and her tail', () => {
    const limbs = findLimbs(BRINDLE);
    expect(limbs.map(({ name, chain }) => `${name}: ${chain.join(' ')}`)).toEqual([
      'leftForeLeg: LeftForeLeg LeftForeShin LeftForePaw LeftForeToes',
      'leftHindLeg: LeftHindThigh LeftHindShin LeftHindPaw LeftHindToes',
      'rightForeLeg: RightForeLeg RightForeShin RightForePaw RightForeToes',
      'rightHindLeg: RightHindThigh RightHindShin RightHindPaw RightHindToes',
      'trunk: Hips Spine1 Spine2 Chest Neck1 Neck2 Head',
      'tail: Tail1 Tail2 Tail3 Tail4 Tail5',
    ]);
    const bend = (name: string) => limbs.find((limb) => limb.name === name)!.bend[2];
    expect(bend('leftHindLeg')).toBeGreaterThan(0.5);
    expect(bend('leftForeLeg')).toBeLessThan(-0.3);
    for (const limb of limbs) expect(compileLimb(BRINDLE, limb).chain.length).toBe(limb.chain.length);
  });
});
