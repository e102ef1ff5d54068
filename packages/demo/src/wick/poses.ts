import { type Pose, type PoseKind, restPose, type SavedPose } from '@evlay/core';
import { fingersOf, savePose, turnEach } from '@evlay/core/solve';
import { about } from '../turn.js';
import { ARM, WICK } from './skeleton.js';

const joint = (name: string) => WICK.joints.findIndex((one) => one.name === name);

/** Turns joints of a pose, one after the other: degrees about x (forward), y (to the left) and z (to the right side). */
function turn(pose: Pose, turns: Readonly<Record<string, readonly [number, number, number]>>): void {
  for (const [name, [x, y, z]] of Object.entries(turns)) {
    for (const q of [about([1, 0, 0], x), about([0, 1, 0], y), about([0, 0, 1], z)]) {
      const wanted = turnEach(WICK, pose, [joint(name)], q, 'scene');
      for (const [j, { rotation }] of wanted) pose.rotations.set(rotation!, 4 * j);
    }
  }
}

const fingers = ['Index', 'Middle', 'Ring', 'Little'] as const;

/** A left hand whose fingers are curled by so many degrees at each joint, the thumb laid across the palm by so many. */
function hand(name: string, curls: readonly [number, number, number, number], thumb: number): SavedPose {
  const pose = restPose(WICK);
  const curling = fingersOf(WICK, 'left');
  for (const [k, finger] of fingers.entries())
    for (const { joint: j, axis } of curling.filter((one) => WICK.joints[one.joint].name.includes(finger))) {
      const [x, y, z] = axis;
      const [rotation] = turnEach(WICK, pose, [j], about([x, y, z], curls[k]), 'joint').values();
      pose.rotations.set(rotation.rotation!, 4 * j);
    }
  // About the way that the arm goes a thumb turns from ahead across the palm.
  for (const [k, share] of [0.8, 0.9, 0.7].entries()) {
    const j = joint(`LeftThumb${k + 1}`);
    const [wanted] = turnEach(WICK, pose, [j], about(ARM, share * thumb), 'scene').values();
    pose.rotations.set(wanted.rotation!, 4 * j);
  }
  const joints = WICK.joints.flatMap((one, j) =>
    /^Left(Thumb|Index|Middle|Ring|Little)/.test(one.name) ? [j] : [],
  );
  return saved(pose, joints, name, 'hand', 'hands');
}

function saved(pose: Pose, joints: readonly number[], name: string, kind: PoseKind, tag: string): SavedPose {
  const one = savePose(WICK, pose, joints, { name, kind, tags: [tag] });
  return { ...one, id: `wick-${name.toLowerCase().replace(/ /g, '-')}` };
}

function head(name: string, turns: Parameters<typeof turn>[1]): SavedPose {
  const pose = restPose(WICK);
  turn(pose, turns);
  return saved(pose, ['Neck', 'Head'].map(joint), name, 'part', 'head');
}

function body(name: string, rise: number, turns: Parameters<typeof turn>[1]): SavedPose {
  const pose = restPose(WICK);
  pose.translations[1] += rise;
  turn(pose, turns);
  const all = WICK.joints.flatMap((one, j) => (one.name === 'Lantern' ? [] : [j]));
  return saved(pose, all, name, 'whole', 'body');
}

/** Arms that hang down, from the half down of the rest pose. */
const HANGING = {
  LeftUpperArm: [0, 0, -32],
  RightUpperArm: [0, 0, 32],
  LeftForearm: [-18, 0, 0],
  RightForearm: [-18, 0, 0],
} as const;

/** The dozen poses of Wick that the demo's pose book holds. */
export const wickPoses = (): SavedPose[] => [
  hand('Fist', [80, 82, 84, 84], 46),
  hand('Open hand', [-6, -4, -5, -8], -18),
  hand('Grip', [52, 56, 58, 58], 34),
  hand('Pointing', [2, 74, 78, 80], 42),
  hand('Relaxed hand', [14, 20, 24, 28], 8),
  head('Looking up', { Neck: [-14, 0, 0], Head: [-22, 0, 0] }),
  head('Looking down', { Neck: [16, 0, 0], Head: [20, 0, 0] }),
  head('Over the shoulder', { Neck: [2, 30, 0], Head: [-4, 38, 4] }),
  body('Standing at ease', -0.004, {
    ...HANGING,
    Spine: [-2, 0, 0],
    Hips: [0, 0, 2],
    LeftUpperLeg: [0, 0, -4],
    RightUpperLeg: [0, 0, -1],
  }),
  body('Crouching', -0.34, {
    ...HANGING,
    Spine: [28, 0, 0],
    Chest: [18, 0, 0],
    Neck: [-10, 0, 0],
    Head: [-22, 0, 0],
    LeftUpperLeg: [-82, 8, 0],
    LeftLowerLeg: [112, 0, 0],
    LeftFoot: [-30, 0, 0],
    RightUpperLeg: [-74, -8, 0],
    RightLowerLeg: [104, 0, 0],
    RightFoot: [-30, 0, 0],
  }),
  body('Reaching up', 0.004, {
    ...HANGING,
    Spine: [-4, 0, -3],
    Chest: [-4, 0, -4],
    Head: [-24, -8, 0],
    RightUpperArm: [-22, 0, -88],
    RightForearm: [-8, 0, -6],
    RightHand: [0, 0, -10],
  }),
  body('Weary', -0.02, {
    ...HANGING,
    Spine: [12, 0, 0],
    Chest: [10, 0, 0],
    UpperChest: [8, 0, 0],
    Neck: [12, 0, 0],
    Head: [10, 0, 4],
    LeftUpperLeg: [-9, 0, 0],
    LeftLowerLeg: [15, 0, 0],
    LeftFoot: [-6, 0, 0],
    RightUpperLeg: [-9, 0, 0],
    RightLowerLeg: [15, 0, 0],
    RightFoot: [-6, 0, 0],
  }),
];
