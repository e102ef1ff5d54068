import fc from 'fast-check';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { type Pose, type Rig, restPose } from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import {
  compileLimb,
  copyPose,
  globalMatrices,
  globalOrientations,
  mirrorChanges,
  mirrorOf,
  mirrorTransforms,
  reach,
  turnToward,
} from '../src/rig/index.js';
import {
  chainOf,
  curled,
  curlOf,
  fingersOf,
  jointsOfPose,
  leanTowards,
  savePose,
  suitsRig,
  turnEach,
  turnShared,
  turnWithNeighbours,
  type WantedTransform,
  wantedBySaved,
} from '../src/solve/index.js';
import { rigOf } from './capture.js';
import { drawnPose } from './drawn-pose.js';

const seed = fc.integer({ min: 1, max: 100000 });
const jointOf = (rig: Rig, name: string) => rig.joints.findIndex((joint) => joint.name === name);
const matricesOf = (rig: Rig, pose: Pose) =>
  globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
const placesOf = (rig: Rig, pose: Pose) => {
  const matrices = matricesOf(rig, pose);
  return rig.joints.map((_, j) => new THREE.Vector3().fromArray(matrices, 16 * j + 12));
};
const orientationOf = (rig: Rig, pose: Pose, j: number) =>
  new THREE.Quaternion().fromArray(
    globalOrientations(rig, pose, new Float64Array(4 * rig.joints.length)),
    4 * j,
  );
const degrees = (a: THREE.Quaternion, b: THREE.Quaternion) => (a.angleTo(b) * 180) / Math.PI;

/** All joints of a pose, as transforms that are wanted. */
const allOf = (rig: Rig, pose: Pose): Map<number, WantedTransform> =>
  new Map(
    rig.joints.map((_, j) => [
      j,
      {
        rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)],
        translation: [...pose.translations.subarray(3 * j, 3 * j + 3)],
      },
    ]),
  );
const withWanted = (rig: Rig, from: Pose, wanted: ReadonlyMap<number, WantedTransform>): Pose => {
  const pose = restPose(rig);
  copyPose(pose, from);
  for (const [j, { rotation, translation }] of wanted) {
    if (rotation) pose.rotations.set(rotation, 4 * j);
    if (translation) pose.translations.set(translation, 3 * j);
  }
  return pose;
};
const mirrored = (rig: Rig, pose: Pose) => withWanted(rig, pose, mirrorTransforms(rig, allOf(rig, pose)));

/** The largest angle between the rotations of two poses, in radians. */
const apart = (a: Pose, b: Pose) =>
  Math.max(
    ...Array.from({ length: a.rotations.length / 4 }, (_, j) =>
      angleBetween(a.rotations, 4 * j, b.rotations, 4 * j),
    ),
  );

describe('the other side', () => {
  it('joints are paired by name and shape: by name on Wick and Brindle, by where they lie without names', () => {
    for (const rig of [WICK, BRINDLE]) {
      const { partners } = mirrorOf(rig);
      for (const [j, { name }] of rig.joints.entries()) {
        const other = name.replace(/Left|Right/, (side) => (side === 'Left' ? 'Right' : 'Left'));
        if (name !== 'Lantern') expect(rig.joints[partners[j]]?.name, name).toBe(other);
      }
    }
    // What hangs in one hand alone has no other side.
    expect(mirrorOf(WICK).partners[jointOf(WICK, 'Lantern')]).toBe(-1);
    const bare = rigOf([
      ['a', -1, [0, 1, 0]],
      ['b', 0, [0.3, 0.2, 0]],
      ['c', 1, [0.3, 0, 0.1]],
      ['d', 0, [-0.3, 0.2, 0]],
      ['e', 3, [-0.3, 0, 0.1]],
    ]);
    expect([...mirrorOf(bare).partners]).toEqual([0, 3, 4, 1, 2]);
  });

  it('is the reflection in world positions, as three reflects in the plane through the root; twice is nothing', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(WICK, BRINDLE),
        seed,
        fc.double({ min: -3, max: 3, noNaN: true }),
        (rig, drawn, heading) => {
          const pose = drawnPose(rig, drawn, 100);
          // Wherever it stands and heads: upright, turned about Y.
          pose.translations.set([drawn % 7, 0.9, -2], 0);
          const up = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 1, 0), heading);
          up.multiply(new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0.6, 0, 0.8), 0.4));
          pose.rotations.set(up.toArray(), 0);
          const shown = mirrored(rig, pose);
          const twist = new THREE.Quaternion(0, up.y, 0, up.w).normalize();
          const root = new THREE.Vector3().fromArray(pose.translations);
          const normal = new THREE.Vector3(1, 0, 0).applyQuaternion(twist);
          const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(normal, root);
          const [before, after] = [placesOf(rig, pose), placesOf(rig, shown)];
          const { partners } = mirrorOf(rig);
          for (const [j, place] of before.entries()) {
            if (partners[j] < 0) continue;
            const opposite = place.clone().addScaledVector(normal, -2 * plane.distanceToPoint(place));
            expect(after[partners[j]].distanceTo(opposite)).toBeLessThan(2e-6);
          }
          expect(apart(mirrored(rig, shown), pose)).toBeLessThan(1e-6);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('a symmetric pose is its own; a change on one side comes mirrored on the other (common practice: ±)', () => {
    const rest = restPose(WICK);
    expect(apart(mirrored(WICK, rest), rest)).toBeLessThan(1e-6);
    fc.assert(
      fc.property(seed, (drawn) => {
        const left = jointOf(WICK, 'LeftUpperArm');
        const rotation = [...drawnPose(WICK, drawn, 90).rotations.subarray(4 * left, 4 * left + 4)];
        const wanted = new Map([[left, { rotation }]]);
        const both = withWanted(WICK, rest, new Map([...wanted, ...mirrorChanges(WICK, rest, wanted)]));
        expect(apart(mirrored(WICK, both), both)).toBeLessThan(1e-6);
      }),
      { numRuns: 30 },
    );
  });
});

describe('joints that turn together', () => {
  const spine = ['Spine', 'Chest', 'UpperChest', 'Neck', 'Head'].map((name) => jointOf(WICK, name));
  const turn = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(1, 0, 0), Math.PI / 6).toArray();

  it('share one turn along a chain: its end has turned by all of it, each joint by its share', () => {
    fc.assert(
      fc.property(
        seed,
        fc.array(fc.integer({ min: 0, max: 5 }), { minLength: 5, maxLength: 5 }),
        (drawn, shares) => {
          const sum = shares.reduce((a, b) => a + b, 0);
          const pose = drawnPose(WICK, drawn, 40);
          const bent = withWanted(WICK, pose, turnShared(WICK, pose, chainOf(WICK, spine), turn, shares));
          let counted = 0;
          for (const [k, j] of spine.entries()) {
            counted += sum > 0 ? shares[k] / sum : 0;
            const part = new THREE.Quaternion().slerp(new THREE.Quaternion(...turn), sum > 0 ? counted : 1);
            const wanted = part.multiply(orientationOf(WICK, pose, j));
            expect(degrees(orientationOf(WICK, bent, j), wanted)).toBeLessThan(1e-4);
          }
        },
      ),
      { numRuns: 30 },
    );
  });

  it('each about itself, in its own axes, those of its parent or of the scene; what hangs below turns on', () => {
    const pose = drawnPose(WICK, 5, 60);
    const [upper, lower] = ['LeftUpperArm', 'LeftForearm'].map((name) => jointOf(WICK, name));
    const q = new THREE.Quaternion(...turn);
    const own = turnEach(WICK, pose, [upper], turn, 'joint').get(upper)!.rotation!;
    const before = new THREE.Quaternion().fromArray(pose.rotations, 4 * upper);
    expect(degrees(new THREE.Quaternion(...own), before.clone().multiply(q))).toBeLessThan(1e-4);
    const parent = turnEach(WICK, pose, [upper], turn, 'parent').get(upper)!.rotation!;
    expect(degrees(new THREE.Quaternion(...parent), q.clone().multiply(before))).toBeLessThan(1e-4);
    const scene = withWanted(WICK, pose, turnEach(WICK, pose, [upper, lower], turn, 'scene'));
    expect(
      degrees(orientationOf(WICK, scene, upper), q.clone().multiply(orientationOf(WICK, pose, upper))),
    ).toBeLessThan(1e-4);
    expect(degrees(orientationOf(WICK, scene, lower), orientationOf(WICK, pose, lower))).toBeGreaterThan(29);
  });

  it('neighbours take part, and the joint still comes to where the hand put it', () => {
    fc.assert(
      fc.property(seed, fc.integer({ min: 0, max: 4 }), (drawn, reach) => {
        const pose = drawnPose(WICK, drawn, 40);
        const neck = jointOf(WICK, 'Neck');
        const wanted = turnWithNeighbours(WICK, pose, neck, turn, reach);
        const bent = withWanted(WICK, pose, wanted);
        const there = new THREE.Quaternion(...turn).multiply(orientationOf(WICK, pose, neck));
        expect(degrees(orientationOf(WICK, bent, neck), there)).toBeLessThan(1e-4);
        // Hips, the root, take no part; as many above as are asked for, and the head below.
        expect(wanted.has(0)).toBe(false);
        expect(wanted.size).toBe(1 + Math.min(reach, 3) + (reach > 0 ? 1 : 0));
      }),
      { numRuns: 30 },
    );
  });

  it('above a limb they lean towards its goal, and the limb still comes to it with the hand as it was', () => {
    const arm = compileLimb(WICK, {
      name: 'leftArm',
      chain: ['LeftUpperArm', 'LeftForearm', 'LeftHand'],
      bend: [0, 0, -1],
    });
    const hand = jointOf(WICK, 'LeftHand');
    fc.assert(
      fc.property(seed, fc.integer({ min: 0, max: 3 }), (drawn, count) => {
        const pose = drawnPose(WICK, drawn, 40);
        const [there, shoulder] = [hand, arm.chain[0]].map((j) => placesOf(WICK, pose)[j]);
        // A little nearer to the shoulder and aside, so that it is in reach.
        const goal = there
          .clone()
          .lerp(shoulder, 0.2)
          .add(new THREE.Vector3(0.03, 0.04, -0.02));
        const bent = withWanted(WICK, pose, new Map());
        const leant = leanTowards(WICK, bent, arm, goal.toArray(), count);
        expect(leant.map((j) => WICK.joints[j].name)).toEqual(
          ['Chest', 'UpperChest', 'LeftShoulder'].slice(3 - count),
        );
        expect(reach(WICK, arm, bent, goal.toArray())).toBeLessThan(1e-6);
        expect(placesOf(WICK, bent)[hand].distanceTo(goal)).toBeLessThan(1e-6);
        expect(degrees(orientationOf(WICK, bent, hand), orientationOf(WICK, pose, hand))).toBeLessThan(1e-4);
        // All of them take part.
        const turned = leant.map((j) => angleBetween(bent.rotations, 4 * j, pose.rotations, 4 * j));
        for (const angle of turned) expect(angle).toBeGreaterThan(1e-4);
      }),
      { numRuns: 30 },
    );
  });

  it('an elbow turned round the line of its arm keeps the hand where and as it is', () => {
    const arm = compileLimb(WICK, {
      name: 'leftArm',
      chain: ['LeftUpperArm', 'LeftForearm', 'LeftHand'],
      bend: [0, 0, -1],
    });
    const [top, elbow, hand] = arm.chain;
    fc.assert(
      fc.property(seed, fc.double({ min: -3, max: 3, noNaN: true }), (drawn, angle) => {
        const pose = drawnPose(WICK, drawn, 120);
        const before = placesOf(WICK, pose);
        const line = before[hand].clone().sub(before[top]).normalize();
        const toward = before[elbow].clone().sub(before[top]).applyAxisAngle(line, angle).add(before[top]);
        const turned = withWanted(WICK, pose, new Map());
        turnToward(WICK, arm, turned, toward.toArray());
        const after = placesOf(WICK, turned);
        expect(after[elbow].distanceTo(toward)).toBeLessThan(1e-6);
        expect(after[hand].distanceTo(before[hand])).toBeLessThan(1e-6);
        expect(degrees(orientationOf(WICK, turned, hand), orientationOf(WICK, pose, hand))).toBeLessThan(
          1e-4,
        );
      }),
      { numRuns: 40 },
    );
  });
});

describe('fingers', () => {
  it.each(['left', 'right'] as const)(
    'of the %s hand curl to the palm, by one angle, and say how far they are',
    (side) => {
      const fingers = fingersOf(WICK, side);
      expect(fingers).toHaveLength(12);
      const rest = restPose(WICK);
      const Side = side === 'left' ? 'Left' : 'Right';
      const [hand, tip, middle] = [`${Side}Hand`, `${Side}Middle3`, `${Side}Middle1`].map((name) =>
        jointOf(WICK, name),
      );
      const fist = withWanted(WICK, rest, curled(rest, fingers, 1.2));
      expect(curlOf(WICK, fist, fingers)).toBeCloseTo(1.2, 6);
      const [open, closed] = [placesOf(WICK, rest), placesOf(WICK, fist)];
      // Wick's palms face inward and down: there the tips go, and nearer to the wrist.
      const way = closed[tip].clone().sub(open[tip]);
      expect(way.dot(new THREE.Vector3(side === 'left' ? -0.69 : 0.69, -0.72, 0))).toBeGreaterThan(0.02);
      expect(closed[tip].distanceTo(closed[hand])).toBeLessThan(open[middle].distanceTo(open[hand]) + 0.02);
      expect(fingersOf(BRINDLE, side)).toEqual([]);
    },
  );
});

describe('saved poses', () => {
  const hand = (side: string) =>
    WICK.joints.flatMap(({ name }, j) => (name.startsWith(side) && /\d$/.test(name) ? [j] : []));

  it('come back as they were, wherever the character stands and heads', () => {
    fc.assert(
      fc.property(seed, (drawn) => {
        const pose = drawnPose(WICK, drawn, 80);
        pose.translations[1] = 0.8;
        const saved = savePose(
          WICK,
          pose,
          WICK.joints.map((_, j) => j),
          { name: 'any', kind: 'whole' },
        );
        const other = drawnPose(WICK, drawn + 1, 80);
        other.translations.set([3, 0.9, -4], 0);
        const back = withWanted(WICK, other, wantedBySaved(WICK, other, saved));
        // The same up to where the root stands and heads.
        for (let j = 1; j < WICK.joints.length; j++)
          expect(angleBetween(back.rotations, 4 * j, pose.rotations, 4 * j)).toBeLessThan(1e-6);
        expect([...back.translations.subarray(0, 3)]).toEqual([3, expect.closeTo(0.8, 9), -4]);
        const half = wantedBySaved(WICK, other, saved, { amount: 0.5 });
        const full = wantedBySaved(WICK, other, saved);
        for (const [j, { rotation }] of half) {
          const [a, b] = [[...rotation!], [...full.get(j)!.rotation!]];
          expect(angleBetween(other.rotations, 4 * j, a, 0)).toBeCloseTo(angleBetween(a, 0, b, 0), 5);
        }
      }),
      { numRuns: 20 },
    );
  });

  it('a hand pose on the other hand turns no wrist (common practice), and is the mirror of it', () => {
    const pose = drawnPose(WICK, 8, 60);
    const saved = savePose(WICK, pose, hand('Left'), { name: 'grip', kind: 'hand' });
    const wanted = wantedBySaved(WICK, restPose(WICK), saved, { mirrored: true });
    expect([...wanted.keys()].map((j) => WICK.joints[j].name).sort()).toEqual(
      hand('Right')
        .map((j) => WICK.joints[j].name)
        .sort(),
    );
    const both = withWanted(WICK, pose, wanted);
    const shown = mirrored(WICK, both);
    for (const j of hand('Left'))
      expect(angleBetween(shown.rotations, 4 * j, both.rotations, 4 * j)).toBeLessThan(1e-6);
  });

  it('go to another rig by role: a trunk of Wick to one of other names, a hand not to a dog', () => {
    const trunk = ['Spine', 'Chest', 'Neck', 'Head'].map((name) => jointOf(WICK, name));
    const saved = savePose(WICK, drawnPose(WICK, 3, 40), trunk, { name: 'nod', kind: 'part' });
    const renamed: Rig = {
      joints: WICK.joints.map((joint) => ({
        ...joint,
        name: joint.name === 'Head' ? 'rig:skull' : `rig:${joint.name}`,
      })),
    };
    expect(jointsOfPose(renamed, saved).map((j) => renamed.joints[j].name)).toEqual([
      'rig:Spine',
      'rig:Chest',
      'rig:Neck',
      'rig:skull',
    ]);
    const fist = savePose(WICK, restPose(WICK), hand('Left'), { name: 'fist', kind: 'hand' });
    expect([suitsRig(WICK, fist), suitsRig(BRINDLE, fist)]).toEqual([true, false]);
  });
});
