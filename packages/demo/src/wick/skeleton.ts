import type { Rig } from '@evlay/core';
import { type Place, placeIn, rigAt } from '../places.js';
import { add, mirror, normal, scale, type V } from '../vector.js';
import { FACES } from './face.js';

/** Direction of the left arm at rest, and that in which its palm faces. */
export const ARM: V = normal([0.72, -0.69, 0.02]);
export const PALM: V = normal([-0.69, -0.72, 0]);

const SHOULDER: V = [0.178, 1.415, -0.02];
const ELBOW = add(SHOULDER, scale(ARM, 0.275));
const WRIST = add(ELBOW, scale(normal([0.7, -0.7, 0.09]), 0.25));

const FINGERS: readonly [name: string, along: number, front: number, lengths: readonly number[]][] = [
  ['Index', 0.092, 0.032, [0.04, 0.026, 0.02]],
  ['Middle', 0.096, 0.011, [0.044, 0.029, 0.021]],
  ['Ring', 0.092, -0.01, [0.041, 0.027, 0.02]],
  ['Little', 0.083, -0.03, [0.033, 0.021, 0.018]],
];

function leftArm(): Place[] {
  const places: Place[] = [
    { name: 'LeftShoulder', parent: 'UpperChest', at: [0.045, 1.425, -0.005] },
    { name: 'LeftUpperArm', parent: 'LeftShoulder', at: SHOULDER },
    { name: 'LeftForearm', parent: 'LeftUpperArm', at: ELBOW },
    { name: 'LeftHand', parent: 'LeftForearm', at: WRIST },
  ];
  const thumb = [add(WRIST, add(scale(ARM, 0.028), [0, -0.004, 0.03]))];
  const towards = normal(add(ARM, add([0, 0, 0.75], scale(PALM, 0.25))));
  thumb.push(add(thumb[0], scale(towards, 0.038)), add(thumb[0], scale(towards, 0.068)));
  for (const [k, at] of thumb.entries()) {
    places.push({ name: `LeftThumb${k + 1}`, parent: k === 0 ? 'LeftHand' : `LeftThumb${k}`, at });
  }
  for (const [finger, along, front, lengths] of FINGERS) {
    let at = add(WRIST, add(scale(ARM, along), [0, 0, front]));
    for (let k = 0; k < 3; k++) {
      places.push({ name: `Left${finger}${k + 1}`, parent: k === 0 ? 'LeftHand' : `Left${finger}${k}`, at });
      at = add(at, scale(ARM, lengths[k]));
    }
  }
  return places;
}

const LEFT_LEG: Place[] = [
  { name: 'LeftUpperLeg', parent: 'Hips', at: [0.092, 0.9, 0] },
  { name: 'LeftLowerLeg', parent: 'LeftUpperLeg', at: [0.098, 0.488, 0.012] },
  { name: 'LeftFoot', parent: 'LeftLowerLeg', at: [0.1, 0.085, -0.02] },
  { name: 'LeftToes', parent: 'LeftFoot', at: [0.106, 0.028, 0.115] },
];

const other = (name: string) => name.replace(/^Left/, 'Right');
const mirrored = (places: readonly Place[]): Place[] =>
  places.map(({ name, parent, at }) => ({ name: other(name), parent: other(parent), at: mirror(at) }));

const ARM_PLACES = leftArm();
const RIGHT_PALM = mirror(add(WRIST, add(scale(ARM, 0.075), scale(PALM, 0.03))));

/**
 * All joints, each parent right before its first child. Wick stands on the origin, looks along +z, his left is +x, and
 * his arms hang half down.
 */
export const PLACES: readonly Place[] = [
  { name: 'Hips', parent: '', at: [0, 0.94, 0] },
  { name: 'Spine', parent: 'Hips', at: [0, 1.05, -0.005] },
  { name: 'Chest', parent: 'Spine', at: [0, 1.18, -0.012] },
  { name: 'UpperChest', parent: 'Chest', at: [0, 1.31, -0.015] },
  { name: 'Neck', parent: 'UpperChest', at: [0, 1.46, -0.012] },
  { name: 'Head', parent: 'Neck', at: [0, 1.525, 0.004] },
  ...ARM_PLACES,
  ...mirrored(ARM_PLACES),
  { name: 'Lantern', parent: 'RightHand', at: RIGHT_PALM },
  ...LEFT_LEG,
  ...mirrored(LEFT_LEG),
];

/** Place of a joint at rest. */
export const placeOf = (name: string): V => placeIn(PLACES, name);

export const WICK: Rig = { ...rigAt(PLACES), faces: FACES };
