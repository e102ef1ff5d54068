import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { placeOf, WICK } from '../../demo/src/wick/skeleton.js';
import { readTake } from '../src/format/index.js';
import { type Rig, restPose } from '../src/index.js';
import { findContacts, fitOnFloor } from '../src/make/index.js';
import { fitMotion, followsOf, mappingOf, matchRigs, restingJoints, sizeRatio } from '../src/match/index.js';
import { globalMatrices, guessMetresPerUnit, pointInWorld, rigHeight } from '../src/rig/index.js';
import { emptyTrack, type Mapping, type Motion, readSample, resampled, trimmed } from '../src/take/index.js';
import { captureBytes, rigOf } from './capture.js';
import { positionsAt, positionsAtRestOf } from './positions.js';

/** Subject 01, trial 01 of the Carnegie Mellon motion-capture database. */
const { take: capture } = readTake('01_01.bvh', captureBytes());

/** How high points that a joint carries are at a sample, given as they are at rest in the scene. */
function placedAt(motion: Motion, s: number): (joint: string, point: readonly number[]) => number {
  const pose = restPose(motion.rig);
  readSample(motion, s, pose);
  const matrices = globalMatrices(motion.rig, pose, new Float64Array(16 * motion.rig.joints.length));
  return (joint, point) => {
    const j = motion.rig.joints.findIndex(({ name }) => name === joint);
    // Wick's joints rest without a turn.
    return pointInWorld(matrices, j, minus(point, placeOf(joint)))[1];
  };
}

const minus = (a: readonly number[], b: readonly number[]) => a.map((value, axis) => value - b[axis]);

/** Degrees between two directions. */
function degreesBetween(a: readonly number[], b: readonly number[]): number {
  const cross = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  return (Math.atan2(Math.hypot(...cross), a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) * 180) / Math.PI;
}

const named = (source: Rig, target: Rig): Mapping => mappingOf(source, target, matchRigs(source, target));

describe('matching a capture to a character', () => {
  it('finds the joints of the capture for Wick, whose names are others', () => {
    // Read off the two skeletons by hand.
    expect(named(capture.rig, WICK)).toEqual({
      Hips: 'Hips',
      Spine: 'LowerBack',
      Chest: 'Spine',
      UpperChest: 'Spine1',
      Neck: 'Neck1',
      Head: 'Head',
      ...Object.fromEntries(
        ['Left', 'Right'].flatMap((side) => [
          [`${side}Shoulder`, `${side}Shoulder`],
          [`${side}UpperArm`, `${side}Arm`],
          [`${side}Forearm`, `${side}ForeArm`],
          [`${side}Hand`, `${side}Hand`],
          [`${side}UpperLeg`, `${side}UpLeg`],
          [`${side}LowerLeg`, `${side}Leg`],
          [`${side}Foot`, `${side}Foot`],
          [`${side}Toes`, `${side}ToeBase`],
          [`${side}Thumb1`, side === 'Left' ? 'LThumb' : 'RThumb'],
        ]),
      ),
    });
  });

  const CONVENTIONS: Record<string, readonly string[]> = {
    'H-Anim (ISO/IEC 19774)': [
      'humanoid_root',
      'sacroiliac',
      'l_hip',
      'l_knee',
      'l_talocrural',
      'l_metatarsophalangeal_2',
      'r_hip',
      'r_knee',
      'r_talocrural',
      'r_metatarsophalangeal_2',
      'vl5',
      'vt12',
      'vt4',
      'vc7',
      'skullbase',
      'l_sternoclavicular',
      'l_shoulder',
      'l_elbow',
      'l_radiocarpal',
      'r_sternoclavicular',
      'r_shoulder',
      'r_elbow',
      'r_radiocarpal',
    ],
    'VRM 1.0': [
      'hips',
      '',
      'leftUpperLeg',
      'leftLowerLeg',
      'leftFoot',
      'leftToes',
      'rightUpperLeg',
      'rightLowerLeg',
      'rightFoot',
      'rightToes',
      'spine',
      'chest',
      'upperChest',
      'neck',
      'head',
      'leftShoulder',
      'leftUpperArm',
      'leftLowerArm',
      'leftHand',
      'rightShoulder',
      'rightUpperArm',
      'rightLowerArm',
      'rightHand',
    ],
    'a prefix, sides behind, numbers': [
      'rig:pelvis',
      '',
      'rig:thigh_l',
      'rig:calf_l',
      'rig:foot_l',
      'rig:ball_l',
      'rig:thigh_r',
      'rig:calf_r',
      'rig:foot_r',
      'rig:ball_r',
      'rig:spine_01',
      'rig:spine_02',
      'rig:spine_03',
      'rig:neck_01',
      'rig:head',
      'rig:clavicle_l',
      'rig:upperarm_l',
      'rig:lowerarm_l',
      'rig:hand_l',
      'rig:clavicle_r',
      'rig:upperarm_r',
      'rig:lowerarm_r',
      'rig:hand_r',
    ],
    'nothing said': Array.from({ length: 23 }, (_, k) => `bone ${k}`),
  };

  /** A figure in T-pose, 170 high, whose joints are named by a convention; '' is left out. */
  function figure(names: readonly string[]): Rig {
    const joints: [number, [number, number, number]][] = [
      [-1, [0, 90, 0]],
      [0, [0, 1, 0]],
      ...[1, -1].flatMap((s): [number, [number, number, number]][] => {
        const at = s > 0 ? 2 : 6;
        return [
          [0, [9 * s, -3, 0]],
          [at, [0, -42, 0]],
          [at + 1, [0, -38, -2]],
          [at + 2, [0, -5, 14]],
        ];
      }),
      [0, [0, 12, 0]],
      [10, [0, 13, 0]],
      [11, [0, 13, 0]],
      [12, [0, 14, 0]],
      [13, [0, 8, 2]],
      ...[1, -1].flatMap((s): [number, [number, number, number]][] => {
        const at = s > 0 ? 15 : 19;
        return [
          [12, [4 * s, 10, 0]],
          [at, [14 * s, 0, 0]],
          [at + 1, [28 * s, 0, 0]],
          [at + 2, [25 * s, 0, 0]],
        ];
      }),
    ];
    const kept = joints.map((_, j) => j).filter((j) => names[j] !== '');
    const parentOf = (j: number): number => {
      const parent = joints[j][0];
      return parent < 0 || names[parent] !== '' ? parent : parentOf(parent);
    };
    const order = kept.sort((a, b) => a - b);
    return rigOf(
      order.map((j) => [names[j], parentOf(j) < 0 ? -1 : order.indexOf(parentOf(j)), joints[j][1]]),
    );
  }

  it.each(Object.entries(CONVENTIONS))('knows names by %s', (_, names) => {
    const rig = figure(names);
    const mapping = named(rig, WICK);
    const expected = {
      Hips: 0,
      LeftUpperLeg: 2,
      LeftLowerLeg: 3,
      LeftFoot: 4,
      LeftToes: 5,
      RightUpperLeg: 6,
      RightLowerLeg: 7,
      RightFoot: 8,
      RightToes: 9,
      UpperChest: 12,
      Neck: 13,
      Head: 14,
      LeftShoulder: 15,
      LeftUpperArm: 16,
      LeftForearm: 17,
      LeftHand: 18,
      RightShoulder: 19,
      RightUpperArm: 20,
      RightForearm: 21,
      RightHand: 22,
    };
    for (const [joint, place] of Object.entries(expected))
      expect([joint, mapping[joint]]).toEqual([joint, names[place]]);
    expect(Object.keys(mapping)).not.toContain('Lantern');
  });

  it('gives thighs, shins, upper arms and forearms the directions of the capture', () => {
    const fitted = fitMotion(capture, WICK, named(capture.rig, WICK));
    const bones = ['Left', 'Right'].flatMap((side) => [
      [`${side}UpperLeg`, `${side}LowerLeg`, `${side}UpLeg`, `${side}Leg`],
      [`${side}LowerLeg`, `${side}Foot`, `${side}Leg`, `${side}Foot`],
      [`${side}UpperArm`, `${side}Forearm`, `${side}Arm`, `${side}ForeArm`],
      [`${side}Forearm`, `${side}Hand`, `${side}ForeArm`, `${side}Hand`],
    ]);
    let worst = 0;
    for (let s = 0; s < capture.count; s += 10) {
      const [own, theirs] = [positionsAt(fitted, s), positionsAt(capture, s)];
      for (const [a, b, c, d] of bones)
        worst = Math.max(worst, degreesBetween(minus(own(b), own(a)), minus(theirs(d), theirs(c))));
    }
    expect(worst).toBeLessThan(0.1);
    expect(restingJoints(WICK, fitted)).toContain('Lantern');
  });

  it('scales the travel by the lengths of the legs', () => {
    const fitted = fitMotion(capture, WICK, named(capture.rig, WICK));
    const legs = (at: (name: string) => number[], names: readonly string[]) =>
      ['Left', 'Right']
        .flatMap((side) => [0, 1].map((k) => minus(at(side + names[k + 1]), at(side + names[k]))))
        .reduce((sum, bone) => sum + Math.hypot(...bone), 0);
    const [wick, theirs] = [positionsAtRestOf(WICK), positionsAtRestOf(capture.rig)];
    const ratio = legs(wick, ['UpperLeg', 'LowerLeg', 'Foot']) / legs(theirs, ['UpLeg', 'Leg', 'Foot']);
    const travelled = (motion: Motion) =>
      minus(positionsAt(motion, 1500)('Hips'), positionsAt(motion, 0)('Hips'));
    const [own, captured] = [travelled(fitted), travelled(capture)];
    for (let axis = 0; axis < 3; axis++) expect(own[axis] / (ratio * captured[axis])).toBeCloseTo(1, 9);
  });

  /** How a foot of a fit stands in each stance of the capture: toes above where they rest, and drift, in metres. */
  function stancesOf(motion: Motion, target: Rig, toes: (side: string) => string) {
    const fitted = fitOnFloor(motion, target, named(motion.rig, target));
    const rest = positionsAtRestOf(target);
    const ratio = sizeRatio(motion.rig, target, followsOf(motion.rig, target, named(motion.rig, target)));
    const middle = (values: number[]) => values.sort((a, b) => a - b)[values.length >> 1];
    const { spans } = findContacts(motion, guessMetresPerUnit(motion.rig));
    /** How high the capture's toes lie when they stand: its floor is another one for each foot. */
    const usual = Object.fromEntries(
      ['Left', 'Right'].map((side) => [
        side,
        middle(
          spans
            .filter(({ joint }) => joint.startsWith(side))
            .flatMap(({ from, to }) =>
              Array.from(
                { length: to - from + 1 },
                (_, k) => positionsAt(motion, from + k)(`${side}ToeBase`)[1],
              ),
            ),
        ),
      ]),
    );
    return spans.map(({ joint, from, to }) => {
      const side = joint.startsWith('Left') ? 'Left' : 'Right';
      const [own, theirs] = [toes(side), `${side}ToeBase`];
      const path = Array.from({ length: to - from + 1 }, (_, k) => positionsAt(motion, from + k)(theirs));
      // Toes stand where those of the capture are low, away from the ends, where the foot rolls.
      const rolls = 0.1 / motion.interval;
      const heights = path.flatMap((at, k) =>
        Math.abs(at[1] - usual[side]) * ratio < 0.01 && k >= rolls && k < path.length - rolls
          ? [positionsAt(fitted, from + k)(own)[1] - rest(own)[1]]
          : [],
      );
      const drift = (of: Motion, name: string) => {
        const [begin, end] = [from + Math.round(rolls), to - Math.round(rolls)];
        const [a, , c] = minus(positionsAt(of, end)(name), positionsAt(of, begin)(name));
        return Math.hypot(a, c);
      };
      return { side, from, heights, drift: drift(fitted, own), captured: ratio * drift(motion, theirs) };
    });
  }

  it.each([
    ['all of it', capture as Motion, 25],
    ['samples 300 to 599', trimmed(capture, [300, 599]), 4],
  ])(
    'puts feet on the floor where those of the capture stand, and they slide no further: %s',
    (_, motion, count) => {
      const stances = stancesOf(motion, WICK, (side) => `${side}Toes`);
      expect(stances.length).toBeGreaterThanOrEqual(count);
      for (const { side, from, heights, drift, captured } of stances) {
        const place = `${side} from ${from}`;
        expect(Math.max(...heights.map(Math.abs)), place).toBeLessThan(0.01);
        expect(drift, place).toBeLessThan(captured + 0.002);
      }
    },
  );

  it('leans legs by no more than six degrees and turns no arm, to keep both feet where they stand', () => {
    const fitted = fitOnFloor(capture, WICK, named(capture.rig, WICK));
    const leans: number[] = [];
    for (let s = 0; s < capture.count; s += 10) {
      const [own, theirs] = [positionsAt(fitted, s), positionsAt(capture, s)];
      const off = (a: string, b: string, c: string, d: string) =>
        degreesBetween(minus(own(b), own(a)), minus(theirs(d), theirs(c)));
      for (const side of ['Left', 'Right']) {
        leans.push(off(`${side}UpperLeg`, `${side}LowerLeg`, `${side}UpLeg`, `${side}Leg`));
        leans.push(off(`${side}LowerLeg`, `${side}Foot`, `${side}Leg`, `${side}Foot`));
        expect(off(`${side}UpperArm`, `${side}Forearm`, `${side}Arm`, `${side}ForeArm`)).toBeLessThan(0.1);
      }
    }
    // His legs are of different lengths, hers are not.
    expect(leans.reduce((sum, lean) => sum + lean, 0) / leans.length).toBeLessThan(2);
    expect(Math.max(...leans)).toBeLessThan(6);
  });

  it('puts soles flat on the floor where those of the capture are, and moves as smoothly as it', () => {
    const metres = 0.0564;
    for (const rate of [30, 120]) {
      const motion: Motion = resampled(capture, rate);
      const fitted = fitOnFloor(motion, WICK, named(motion.rig, WICK));
      const ratio = sizeRatio(motion.rig, WICK, followsOf(motion.rig, WICK, named(motion.rig, WICK)));
      const own = Array.from({ length: motion.count }, (_, s) => placedAt(fitted, s));
      const theirs = Array.from({ length: motion.count }, (_, s) => positionsAt(motion, s));
      const part = (values: number[], share: number) =>
        values.sort((a, b) => a - b)[Math.floor(share * (values.length - 1))];
      for (const side of ['Left', 'Right']) {
        const stands = findContacts(motion, metres).spans.filter(({ joint }) => joint === `${side}Foot`);
        const samples = stands.flatMap(({ from, to }) =>
          Array.from({ length: to - from + 1 }, (_, k) => from + k),
        );
        const joints = [`${side}Foot`, `${side}ToeBase`];
        const lows = joints.map((name) =>
          part(
            samples.map((s) => theirs[s](name)[1]),
            0.25,
          ),
        );
        const flat = samples.filter((s) =>
          joints.every((name, k) => (theirs[s](name)[1] - lows[k]) * metres < 0.008),
        );
        expect(flat.length).toBeGreaterThan(samples.length / 3);
        // Heel, ball and tip of the sole as the figure has it at rest, on the floor.
        const [foot, toes] = [placeOf(`${side}Foot`), placeOf(`${side}Toes`)];
        const soles = flat.map((s) =>
          (
            [
              [`${side}Foot`, [foot[0], 0, foot[2] - 0.062]],
              [`${side}Toes`, [toes[0], 0, toes[2]]],
              [`${side}Toes`, [toes[0], 0, toes[2] + 0.07]],
            ] as const
          ).map(([joint, point]) => own[s](joint, point)),
        );
        const lowest = soles.map((points) => Math.min(...points));
        expect(part([...lowest], 0.05), `${side} at ${rate}`).toBeGreaterThan(-0.005);
        expect(part([...lowest], 0.95), `${side} at ${rate}`).toBeLessThan(0.005);
        expect(Math.min(...soles.map(([heel]) => heel))).toBeGreaterThan(-0.01);
      }
      const paths = Array.from({ length: motion.count }, (_, s) => positionsAt(fitted, s));
      const shaken = (at: (s: number) => number[]) => {
        let squares = 0;
        for (let s = 2; s + 2 < motion.count; s++) {
          const [a, b, c] = [at(s - 1), at(s), at(s + 1)];
          squares += a.reduce((sum, value, axis) => sum + (value - 2 * b[axis] + c[axis]) ** 2, 0);
        }
        return Math.sqrt(squares);
      };
      for (const name of ['Hips', 'LeftFoot', 'RightFoot'])
        expect(shaken((s) => paths[s](name)) / (ratio * shaken((s) => theirs[s](name))), name).toBeLessThan(
          1.05,
        );
    }
  });

  it('puts a person on a dog that stands on her hind feet', () => {
    for (const { side, from, heights, drift, captured } of stancesOf(
      capture,
      BRINDLE,
      (one) => `${one}HindToes`,
    )) {
      const place = `${side} from ${from}`;
      expect(Math.max(0, ...heights.map(Math.abs)), place).toBeLessThan(0.01);
      // Her legs are of other proportions than any person's.
      expect(drift, place).toBeLessThan(captured + 0.015);
    }
  });

  it('comes back to rounding on its own skeleton', () => {
    const own = Object.fromEntries(capture.rig.joints.map(({ name }) => [name, name]));
    expect(named(capture.rig, capture.rig)).toEqual(own);
    const fitted = fitMotion(capture, capture.rig, own);
    const limit = 1e-9 * rigHeight(capture.rig);
    for (let s = 0; s < capture.count; s += 100) {
      const [a, b] = [positionsAt(fitted, s), positionsAt(capture, s)];
      for (const { name } of capture.rig.joints)
        for (const value of minus(a(name), b(name))) expect(Math.abs(value)).toBeLessThan(limit);
    }
  });
});

describe('a root bone above the hips', () => {
  const wick = WICK.joints;
  const withRoot: Rig = {
    joints: [
      { ...wick[0], name: 'Root bone', parent: -1, translation: [0, 0, 0] },
      ...wick.map((joint) => ({ ...joint, parent: joint.parent + 1 })),
    ],
  };

  it('goes along the floor below the hips, or stays; the body is in the same place', () => {
    const cut = trimmed(capture, [300, 500]);
    const mapping = named(capture.rig, withRoot);
    const [travels, stays] = [undefined, 'hips' as const].map((who) =>
      fitOnFloor(cut, withRoot, mapping, who),
    );
    for (const s of [0, 60, 200]) {
      const [a, b] = [travels, stays].map((motion) => positionsAt(motion, s));
      for (const joint of ['Hips', 'LeftFoot', 'RightHand', 'Head'])
        for (const [axis, value] of a(joint).entries()) expect(b(joint)[axis]).toBeCloseTo(value, 9);
      expect(b('Root bone')).toEqual([0, 0, 0]);
      const hips = a('Hips');
      expect(a('Root bone')[1]).toBe(0);
      expect(Math.hypot(hips[0] - a('Root bone')[0], hips[2] - a('Root bone')[2])).toBeLessThan(0.05);
    }
  });
});

describe('spines of another number of joints', () => {
  /** A body with a spine of joints at heights, a head, arms and legs. */
  const bodyWith = (bones: readonly number[]): Rig => {
    const spine = bones.map((length, k): [string, number, readonly [number, number, number]] => [
      `Spine${k + 1}`,
      k,
      [0, length, 0],
    ]);
    const chest = bones.length;
    const joints: [string, number, readonly [number, number, number]][] = [
      ['Hips', -1, [0, 1, 0]],
      ...spine,
      ['Neck', chest, [0, 0.1, 0]],
      ['Head', chest + 1, [0, 0.1, 0]],
    ];
    for (const [side, x] of [
      ['Left', 0.2],
      ['Right', -0.2],
    ] as const) {
      for (const [names, top, first, rest] of [
        [['UpperArm', 'Forearm', 'Hand'], chest, [x, 0, 0], [x, 0, 0]],
        [['UpperLeg', 'LowerLeg', 'Foot'], 0, [x / 2, 0, 0], [0, -0.45, 0]],
      ] as const)
        for (const [k, name] of names.entries())
          joints.push([side + name, k === 0 ? top : joints.length - 1, k === 0 ? first : rest]);
    }
    return rigOf(joints);
  };

  /** Degrees about X by which each joint of a spine is bent, of a body with so many. */
  const bent = (rig: Rig, degrees: readonly number[]): Motion => {
    const pose = restPose(rig);
    for (const [k, angle] of degrees.entries()) {
      const half = (angle * Math.PI) / 360;
      pose.rotations.set([Math.sin(half), 0, 0, Math.cos(half)], 4 * (k + 1));
    }
    const joints = Int32Array.from(rig.joints.keys());
    return {
      rig,
      count: 1,
      interval: 1 / 30,
      rotations: { joints, size: 4, values: pose.rotations.slice() },
      translations: { joints: Int32Array.of(0), size: 3, values: Float64Array.of(0, 1, 0) },
      scales: { joints: new Int32Array(0), size: 3, values: new Float64Array(0) },
      faces: emptyTrack(1),
    };
  };

  it.each([
    [2, 6],
    [6, 2],
    [3, 5],
    [5, 1],
    [1, 4],
  ])('share the bend by length, from %i joints to %i, and carry the head alike', (few, many) => {
    const evenly = (count: number) => Array.from({ length: count }, () => 0.6 / count);
    const source = bodyWith(evenly(few));
    const target = bodyWith(evenly(many));
    const motion = bent(
      source,
      evenly(few).map((length) => (60 * length) / 0.6),
    );
    const fitted = fitMotion(motion, target, named(source, target));
    const pose = restPose(target);
    readSample(fitted, 0, pose);
    const angles = evenly(many).map((_, k) => (2 * Math.asin(pose.rotations[4 * (k + 1)]) * 180) / Math.PI);
    // Half of what is 60 degrees in all bends half of the length.
    for (const angle of angles) expect(angle).toBeCloseTo(60 / many, 3);
    const [own, theirs] = [fitted, motion].map((one) => {
      const at = positionsAt(one, 0);
      return minus(at('Head'), at('Neck'));
    });
    expect(degreesBetween(own, theirs)).toBeLessThan(1e-3);
  });

  it('of as many joints, or matched by hand, go joint by joint', () => {
    const [source, target] = [bodyWith([0.1, 0.3, 0.2]), bodyWith([0.2, 0.2, 0.2, 0.1])];
    const motion = bent(source, [10, 0, 35]);
    const same = fitMotion(motion, bodyWith([0.3, 0.1, 0.1]), named(source, bodyWith([0.3, 0.1, 0.1])));
    const angleOf = (fitted: Motion, joint: string) => {
      const pose = restPose(fitted.rig);
      readSample(fitted, 0, pose);
      const j = fitted.rig.joints.findIndex(({ name }) => name === joint);
      return (2 * Math.asin(pose.rotations[4 * j]) * 180) / Math.PI;
    };
    for (const [k, angle] of [10, 0, 35].entries())
      expect(angleOf(same, `Spine${k + 1}`)).toBeCloseTo(angle, 6);
    const byHand = { ...named(source, target), Spine1: 'Spine1', Spine2: 'Spine3', Spine3: 'Spine3' };
    const hand = fitMotion(motion, target, byHand);
    expect(angleOf(hand, 'Spine1')).toBeCloseTo(10, 6);
    expect(angleOf(hand, 'Spine2')).toBeCloseTo(35, 6);
    expect(angleOf(hand, 'Spine3')).toBeCloseTo(0, 6);
  });

  it('are a guess where their joints are told by shape alone', () => {
    const source = bodyWith([0.2, 0.2, 0.2]);
    const nameless = (rig: Rig): Rig => ({
      joints: rig.joints.map((joint, j) => ({ ...joint, name: `bone ${j}` })),
    });
    const matches = matchRigs(source, nameless(bodyWith([0.3, 0.3])));
    for (const { target, confidence } of matches)
      if (target === 1 || target === 2) expect(confidence).toBeLessThan(0.75);
    const byName = matchRigs(source, bodyWith([0.15, 0.15, 0.15, 0.15]));
    expect(byName[3].confidence).toBeGreaterThan(0.75);
  });
});
