import type { Rig } from '@evlay/core';
import { type Place, placeIn, rigAt } from '../places.js';
import { mirror, type V } from '../vector.js';

const WING: Place[] = [
  { name: 'LeftWing1', parent: 'Chest', at: [0.042, 0.242, 0.08] },
  { name: 'LeftWing2', parent: 'LeftWing1', at: [0.165, 0.245, 0.04] },
  { name: 'LeftWing3', parent: 'LeftWing2', at: [0.33, 0.245, 0.085] },
  { name: 'LeftWing4', parent: 'LeftWing3', at: [0.5, 0.245, 0.03] },
  { name: 'LeftWingTip', parent: 'LeftWing4', at: [0.66, 0.245, -0.04] },
];

const LEG: Place[] = [
  { name: 'LeftThigh', parent: 'Hips', at: [0.032, 0.165, -0.045] },
  { name: 'LeftShin', parent: 'LeftThigh', at: [0.036, 0.125, 0.01] },
  { name: 'LeftFoot', parent: 'LeftShin', at: [0.036, 0.06, -0.03] },
  { name: 'LeftToes', parent: 'LeftFoot', at: [0.036, 0.012, 0.005] },
];

const other = (name: string) => name.replace(/^Left/, 'Right');
const both = (places: readonly Place[]): Place[] => [
  ...places,
  ...places.map(({ name, parent, at }) => ({ name: other(name), parent: other(parent), at: mirror(at) })),
];

/** The gull's joints at rest, each parent before its first child: she stands on the origin, wings out, and looks along +z. */
export const PLACES: readonly Place[] = [
  { name: 'Hips', parent: '', at: [0, 0.195, -0.06] },
  { name: 'Spine', parent: 'Hips', at: [0, 0.205, 0] },
  { name: 'Chest', parent: 'Spine', at: [0, 0.212, 0.06] },
  { name: 'Neck1', parent: 'Chest', at: [0, 0.232, 0.135] },
  { name: 'Neck2', parent: 'Neck1', at: [0, 0.262, 0.175] },
  { name: 'Head', parent: 'Neck2', at: [0, 0.29, 0.205] },
  { name: 'Beak', parent: 'Head', at: [0, 0.282, 0.245] },
  ...both(WING),
  ...both(LEG),
  { name: 'Tail1', parent: 'Hips', at: [0, 0.195, -0.14] },
  { name: 'Tail2', parent: 'Tail1', at: [0, 0.195, -0.205] },
  { name: 'TailEnd', parent: 'Tail2', at: [0, 0.195, -0.28] },
];

export const placeOf = (name: string): V => placeIn(PLACES, name);

export const SKERRY: Rig = rigAt(PLACES);
