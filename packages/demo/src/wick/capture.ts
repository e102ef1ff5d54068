import type { Rig } from '@evlay/core';
import { bvhText } from '@evlay/core/format';
import { fitMotion } from '@evlay/core/match';
import { everyMember, type Mapping } from '@evlay/core/take';
import { type Place, placeIn, rigAt } from '../places.js';
import { mirror, type V } from '../vector.js';
import { WICK } from './skeleton.js';
import { walk } from './walk.js';

/**
 * The skeleton of a suit for motion capture, unlike Wick's: named as ISO/IEC 19774 (H-Anim) names joints, in
 * centimetres, taller, in A-pose, with more vertebrae and no fingers. Joints stand where the suit has them.
 */
const LEFT: Place[] = [
  { name: 'l_hip', parent: 'humanoid_root', at: [9.5, 96, 0] },
  { name: 'l_knee', parent: 'l_hip', at: [10.5, 51, 1] },
  { name: 'l_talocrural', parent: 'l_knee', at: [11, 9, -2] },
  { name: 'l_metatarsophalangeal_2', parent: 'l_talocrural', at: [12, 2.5, 11] },
];

const LEFT_ARM: Place[] = [
  { name: 'l_sternoclavicular', parent: 'vt4', at: [3, 150, 1] },
  { name: 'l_shoulder', parent: 'l_sternoclavicular', at: [19, 151, -2] },
  { name: 'l_elbow', parent: 'l_shoulder', at: [36, 128, -3] },
  { name: 'l_radiocarpal', parent: 'l_elbow', at: [52, 107, 0] },
];

const other = (name: string) => name.replace(/^l_/, 'r_');
const both = (places: readonly Place[]): Place[] => [
  ...places,
  ...places.map(({ name, parent, at }) => ({ name: other(name), parent: other(parent), at: mirror(at) })),
];

const PLACES: readonly Place[] = [
  { name: 'humanoid_root', parent: '', at: [0, 100, 0] },
  ...both(LEFT),
  { name: 'vl5', parent: 'humanoid_root', at: [0, 108, -1] },
  { name: 'vl1', parent: 'vl5', at: [0, 118, -2] },
  { name: 'vt10', parent: 'vl1', at: [0, 130, -3] },
  { name: 'vt4', parent: 'vt10', at: [0, 143, -3] },
  ...both(LEFT_ARM),
  { name: 'vc7', parent: 'vt4', at: [0, 156, -2] },
  { name: 'skullbase', parent: 'vc7', at: [0, 164, 0] },
];

/** The ends of the limbs and the crown, as a BVH file has them. */
const ENDS: Record<string, V> = {
  skullbase: [0, 18, 2],
  l_radiocarpal: [11, -14, 1],
  r_radiocarpal: [-11, -14, 1],
  l_metatarsophalangeal_2: [0.5, -1, 7],
  r_metatarsophalangeal_2: [-0.5, -1, 7],
};

/** The suit's skeleton as BVH files have it: with an order of angles, and without a place of its own for the root. */
export const SUIT: Rig = {
  joints: rigAt(PLACES).joints.map((joint, j) => ({
    ...joint,
    translation: j === 0 ? [0, 0, 0] : joint.translation,
    order: 'ZXY',
    ends: ENDS[joint.name] ? [ENDS[joint.name]] : [],
  })),
};

/** Which of Wick's joints each joint of the suit follows: set by hand, so that matching is not tested by its own result. */
const FOLLOWS: Mapping = {
  humanoid_root: 'Hips',
  vl5: 'Spine',
  vl1: 'Spine',
  vt10: 'Chest',
  vt4: 'UpperChest',
  vc7: 'Neck',
  skullbase: 'Head',
  ...Object.fromEntries(
    [
      ['l', 'Left'],
      ['r', 'Right'],
    ].flatMap(([s, side]) => [
      [`${s}_hip`, `${side}UpperLeg`],
      [`${s}_knee`, `${side}LowerLeg`],
      [`${s}_talocrural`, `${side}Foot`],
      [`${s}_metatarsophalangeal_2`, `${side}Toes`],
      [`${s}_sternoclavicular`, `${side}Shoulder`],
      [`${s}_shoulder`, `${side}UpperArm`],
      [`${s}_elbow`, `${side}Forearm`],
      [`${s}_radiocarpal`, `${side}Hand`],
    ]),
  ),
};

/** Wick's walk as if it had been captured from somebody in the suit: a BVH file. */
export function suitCapture(): string {
  const joints = SUIT.joints.with(0, { ...SUIT.joints[0], translation: placeIn(PLACES, 'humanoid_root') });
  const motion = fitMotion({ ...walk(), rig: WICK }, { joints }, FOLLOWS);
  return bvhText(SUIT, everyMember({ ...motion, rig: SUIT }));
}
