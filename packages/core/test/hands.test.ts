import { describe, expect, it } from 'vitest';
import type { Rig } from '../src/index.js';
import { fitOnFloor, keepHands, makeMotion } from '../src/make/index.js';
import { followsOf, mappingOf, matchRigs, sizeRatio } from '../src/match/index.js';
import { emptyTrack, type Motion } from '../src/take/index.js';
import { rigOf } from './capture.js';
import { positionsAt } from './positions.js';

type V = readonly number[];
const plus = (a: V, b: V, k = 1): number[] => a.map((value, axis) => value + k * b[axis]);
const length = (a: V): number => Math.hypot(...a);
const unit = (a: V): number[] => a.map((value) => value / length(a));
const cross = ([a, b, c]: V, [x, y, z]: V): number[] => [b * z - c * y, c * x - a * z, a * y - b * x];
const dot = (a: V, b: V): number => a.reduce((sum, value, axis) => sum + value * b[axis], 0);

/** A person with arms out, in metres. */
function person({
  shoulder = 0.18,
  arm = 0.28,
  fore = 0.26,
  leg = 0.42,
  pelvis = 0.09,
  trunk = 0.45,
  hand = 0.09,
}): Rig {
  const side = (name: string, s: number, chest: number): [string, number, [number, number, number]][] => [
    [`${name}UpperArm`, chest, [s * shoulder, 0.06, 0]],
    [`${name}LowerArm`, -1, [s * arm, 0, 0]],
    [`${name}Hand`, -1, [s * fore, 0, 0]],
    [`${name}Middle1`, -1, [s * hand, 0, 0]],
  ];
  const leg2 = (name: string, s: number): [string, number, [number, number, number]][] => [
    [`${name}UpperLeg`, 0, [s * pelvis, -0.04, 0]],
    [`${name}LowerLeg`, -1, [0, -leg, 0.005]],
    [`${name}Foot`, -1, [0, -leg, -0.005]],
    [`${name}Toes`, -1, [0, -0.06, 0.14]],
  ];
  const joints: [string, number, [number, number, number]][] = [
    ['Hips', -1, [0, 2 * leg + 0.12, 0]],
    ['Spine', 0, [0, trunk / 2, 0]],
    ['Chest', 1, [0, trunk / 2, 0]],
    ['Neck', 2, [0, 0.12, 0]],
    ['Head', 3, [0, 0.09, 0]],
    ['HeadTop', 4, [0, 0.2, 0]],
    ...side('Left', 1, 2),
    ...side('Right', -1, 2),
    ...leg2('Left', 1),
    ...leg2('Right', -1),
  ];
  return rigOf(joints.map(([name, parent, at], k) => [name, parent === -1 && k > 0 ? k - 1 : parent, at]));
}

/** Turns one unit vector into another, and one beside it as near as can be to one beside that. */
function turnOf(from: readonly [V, V], to: readonly [V, V]): number[][] {
  const frame = ([a, b]: readonly [V, V]) => {
    const x = unit(a);
    const z = unit(cross(x, b));
    return [x, cross(z, x), z];
  };
  const [f, t] = [frame(from), frame(to)];
  return [0, 1, 2].map((r) => [0, 1, 2].map((c) => f.reduce((sum, _, k) => sum + t[k][r] * f[k][c], 0)));
}

function quaternionOf(m: number[][]): number[] {
  const w = Math.sqrt(Math.max(0, 1 + m[0][0] + m[1][1] + m[2][2])) / 2;
  const [x, y, z] = [
    [m[0][0] - m[1][1] - m[2][2], m[2][1] - m[1][2]],
    [m[1][1] - m[0][0] - m[2][2], m[0][2] - m[2][0]],
    [m[2][2] - m[0][0] - m[1][1], m[1][0] - m[0][1]],
  ].map(([square, sign]) => (Math.sqrt(Math.max(0, 1 + square)) / 2) * Math.sign(sign || 1));
  return [x, y, z, w];
}

const product = (a: number[][], b: number[][]): number[][] =>
  a.map((row) => b[0].map((_, c) => row.reduce((sum, value, k) => sum + value * b[k][c], 0)));
const transposed = (m: number[][]): number[][] => m[0].map((_, c) => m.map((row) => row[c]));

/**
 * A motion of the actor whose wrists go where they are told: the arms by the law of cosines, elbows out and down, hands
 * in line with the forearms.
 */
function acted(rig: Rig, count: number, wrists: (seconds: number, side: number) => V): Motion {
  const names = rig.joints.map(({ name }) => name);
  const at = (name: string): V => rig.joints[names.indexOf(name)].translation;
  const turned = ['LeftUpperArm', 'LeftLowerArm', 'RightUpperArm', 'RightLowerArm'].map((name) =>
    names.indexOf(name),
  );
  const everyOther = names.map((_, j) => j);
  const values = new Float64Array(4 * names.length * count);
  const interval = 1 / 120;
  for (let s = 0; s < count; s++) {
    for (const j of everyOther) values[4 * (s * names.length + j) + 3] = 1;
    for (const [k, side] of [1, -1].entries()) {
      const name = side > 0 ? 'Left' : 'Right';
      const chest = ['Hips', 'Spine', 'Chest'].reduce((sum: V, joint) => plus(sum, at(joint)), [0, 0, 0]);
      const shoulder = plus(chest, at(`${name}UpperArm`));
      const [a, b] = [length(at(`${name}LowerArm`)), length(at(`${name}Hand`))];
      const way = plus(wrists(s * interval, side), shoulder, -1);
      const d = Math.min(length(way), 0.999 * (a + b));
      const pole = [side, -0.8, -0.3];
      const out = unit(plus(pole, unit(way), -dot(pole, unit(way))));
      const cos = (a * a + d * d - b * b) / (2 * a * d);
      const elbow = plus(plus(shoulder, unit(way), a * cos), out, a * Math.sqrt(1 - cos * cos));
      const wrist = plus(shoulder, unit(way), d);
      const rest: readonly [V, V] = [
        [side, 0, 0],
        [0, -1, 0],
      ];
      const upper = turnOf(rest, [plus(elbow, shoulder, -1), out]);
      const lower = product(transposed(upper), turnOf(rest, [plus(wrist, elbow, -1), out]));
      values.set(quaternionOf(upper), 4 * (s * names.length + turned[2 * k]));
      values.set(quaternionOf(lower), 4 * (s * names.length + turned[2 * k + 1]));
    }
  }
  const hips = at('Hips');
  return {
    rig,
    count,
    interval,
    translations: {
      joints: Int32Array.of(0),
      size: 3,
      values: Float64Array.from({ length: 3 * count }, (_, i) => hips[i % 3]),
    },
    rotations: { joints: Int32Array.from(everyOther), size: 4, values },
    scales: emptyTrack(3),
    faces: emptyTrack(1),
  };
}

/** The actor is 1.7 m tall; the others are broad, narrow, and heavy on long legs. */
const ACTOR = person({});
const BODIES: Record<string, Rig> = {
  broad: person({ shoulder: 0.25 }),
  narrow: person({ shoulder: 0.13, arm: 0.3, fore: 0.3 }),
  'long legs and broad hips': person({ shoulder: 0.23, arm: 0.3, leg: 0.47, pelvis: 0.12 }),
  small: person({ shoulder: 0.1, arm: 0.19, fore: 0.18, leg: 0.22, pelvis: 0.07, trunk: 0.3, hand: 0.05 }),
};

/** From 0 to 1 and back, smoothly, so many times a second. */
const swing = (t: number, times: number): number => 0.5 - 0.5 * Math.cos(2 * Math.PI * times * t);
const mixed = (a: V, b: V, u: number): number[] => a.map((value, axis) => (1 - u) * value + u * b[axis]);

const CLAP = acted(ACTOR, 240, (t, side) => [side * (0.045 + 0.3 * swing(t, 1.5)), 1.35, 0.36]);
/** On the hips for half of the time. */
const HIPS = acted(ACTOR, 240, (t, side) => {
  const u = Math.max(0, 2 * swing(t, 0.7) - 1);
  return mixed([side * 0.16, 1.02, 0.04], [side * 0.5, 1.2, 0.25], u * u * (3 - 2 * u));
});

function fitted(motion: Motion, own: Rig) {
  const mapping = mappingOf(ACTOR, own, matchRigs(ACTOR, own));
  const plain = fitOnFloor(motion, own, mapping);
  const ratio = sizeRatio(ACTOR, own, followsOf(ACTOR, own, mapping));
  return { plain, ratio, ...keepHands(motion, plain, mapping) };
}

/** The way from one joint to another at a sample. */
const wayAt = (motion: Motion, s: number, from: string, to: string): number[] => {
  const place = positionsAt(motion, s);
  return plus(place(to), place(from), -1);
};

/** Metres by which a way may be off what the actor's, scaled, says, for each metre of height: 1.5 cm of 1.7 m. */
const OFF = 0.015 / 1.7;
/** A quarter of the actor's arm. */
const NEAR = 0.25 * (0.28 + 0.26);

describe('hands keep their distances', () => {
  it.each(Object.entries(BODIES))('in a clap on a %s body, and on hips', (_, own) => {
    for (const [motion, from, to] of [
      [CLAP, 'LeftHand', 'RightHand'],
      [HIPS, 'LeftUpperLeg', 'LeftHand'],
      [HIPS, 'RightUpperLeg', 'RightHand'],
    ] as const) {
      const { plain, motion: kept, moved, ratio } = fitted(motion, own);
      let near = 0;
      let worstPlain = 0;
      for (let s = 0; s < motion.count; s++) {
        const wanted = wayAt(motion, s, from, to).map((value) => ratio * value);
        if (length(wanted) > ratio * NEAR) continue;
        near++;
        const way = wayAt(kept, s, from, to);
        expect(Math.abs(length(way) - length(wanted))).toBeLessThan(OFF * 1.7 * ratio);
        // Hands that meet, and those that rest, are where they were also in direction.
        const rests = motion === CLAP || swing(s * motion.interval, 0.7) < 0.5;
        if (rests) expect(length(plus(way, wanted, -1))).toBeLessThan(OFF * 1.7 * ratio);
        worstPlain = Math.max(worstPlain, length(plus(wayAt(plain, s, from, to), wanted, -1)));
        expect(moved.some((span) => span.from <= s && s <= span.to)).toBe(true);
      }
      // The fault was there, and was tried often enough.
      expect(near).toBeGreaterThan(15);
      if (own !== BODIES.small) expect(worstPlain).toBeGreaterThan(2 * OFF * 1.7 * ratio);
    }
  });

  it.each(Object.entries(BODIES))('without a pop on a %s body', (_, own) => {
    for (const motion of [CLAP, HIPS]) {
      const { plain, motion: kept } = fitted(motion, own);
      const most = (of: Motion) => {
        const at = Array.from({ length: of.count }, (_, s) => positionsAt(of, s));
        let largest = 0;
        for (const name of ['LeftLowerArm', 'LeftHand', 'RightLowerArm', 'RightHand'])
          for (let s = 1; s + 1 < of.count; s++)
            largest = Math.max(
              largest,
              length(plus(plus(at[s - 1](name), at[s + 1](name)), at[s](name), -2)),
            );
        return largest / of.interval ** 2;
      };
      // Metres a second squared; a hand put aside by 7 cm from one sample to the next would have 1000.
      expect(most(kept)).toBeLessThan(most(plain) + 8);
    }
  });

  it('and leaves everything else as it is', () => {
    const own = BODIES.broad;
    const { plain, motion: kept, moved } = fitted(CLAP, own);
    const arms = /^(Left|Right)(UpperArm|LowerArm|Hand)$/;
    const different = new Set<string>();
    for (let s = 0; s < kept.count; s++)
      for (const [k, joint] of kept.rotations.joints.entries())
        for (let c = 0; c < 4; c++) {
          const i = 4 * (s * kept.rotations.joints.length + k) + c;
          if (kept.rotations.values[i] !== plain.rotations.values[i]) different.add(own.joints[joint].name);
        }
    expect([...different].every((name) => arms.test(name))).toBe(true);
    expect(kept.translations).toEqual(plain.translations);
    expect(moved.length).toBeGreaterThan(2);
    // Hands that are never near, and a body like the actor's.
    const apart = acted(ACTOR, 60, (t, side) => [side * (0.5 + 0.1 * t), 1.3, 0.3]);
    const far = fitted(apart, own);
    expect(far.moved).toEqual([]);
    expect(far.motion.rotations.values).toEqual(far.plain.rotations.values);
    expect(fitted(CLAP, person({})).moved).toEqual([]);
  });

  it('of the hands that follow, and where arms are too short as far as they reach', () => {
    const own = BODIES.broad;
    const mapping = mappingOf(ACTOR, own, matchRigs(ACTOR, own));
    const { RightHand: _, ...one } = mapping;
    const plain = fitOnFloor(HIPS, own, one);
    const { motion, moved } = keepHands(HIPS, plain, one);
    expect(new Set(moved.map(({ joint }) => joint))).toEqual(new Set(['LeftHand']));
    expect(length(wayAt(motion, 0, 'LeftUpperLeg', 'LeftHand'))).toBeLessThan(0.16);
    const short = person({ shoulder: 0.3, arm: 0.16, fore: 0.15 });
    const { motion: kept, plain: before } = fitted(CLAP, short);
    const apart = (of: Motion) => length(wayAt(of, 0, 'LeftHand', 'RightHand'));
    expect(apart(kept)).toBeLessThan(apart(before));
    for (let s = 0; s < kept.count; s++)
      for (const value of wayAt(kept, s, 'LeftUpperArm', 'LeftHand')) expect(value).not.toBeNaN();
  });

  it('as a step of a making, at another rate, which says when', () => {
    const own = BODIES.broad;
    const mapping = mappingOf(ACTOR, own, matchRigs(ACTOR, own));
    const wearer = { rig: own, metresPerUnit: 1 };
    const making = { from: 'clap', mapping, rate: 24 };
    const off = makeMotion(CLAP, making, wearer);
    const on = makeMotion(CLAP, { ...making, hands: true }, wearer);
    expect(off.handsMoved).toEqual([]);
    // The hands meet at 0 and two thirds of a second.
    for (const s of [0, 16]) {
      expect(length(wayAt(on.motion, s, 'LeftHand', 'RightHand'))).toBeCloseTo(0.09, 2);
      expect(length(wayAt(off.motion, s, 'LeftHand', 'RightHand'))).toBeGreaterThan(0.2);
      expect(on.handsMoved.some(({ from, to, most }) => from <= s && s <= to && most > 0.06)).toBe(true);
    }
  });
});
