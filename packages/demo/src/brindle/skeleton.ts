import type { Rig } from '@evlay/core';
import { type Place, placeIn, rigAt } from '../places.js';
import { mirror, type V } from '../vector.js';

const EAR: Place[] = [
  { name: 'LeftEar1', parent: 'Head', at: [0.045, 0.735, 0.385] },
  { name: 'LeftEar2', parent: 'LeftEar1', at: [0.082, 0.735, 0.385] },
];

const FORE_LEG: Place[] = [
  { name: 'LeftForeShoulder', parent: 'Chest', at: [0.052, 0.53, 0.15] },
  { name: 'LeftForeLeg', parent: 'LeftForeShoulder', at: [0.064, 0.385, 0.225] },
  { name: 'LeftForeShin', parent: 'LeftForeLeg', at: [0.072, 0.29, 0.15] },
  { name: 'LeftForePaw', parent: 'LeftForeShin', at: [0.074, 0.1, 0.17] },
  { name: 'LeftForeToes', parent: 'LeftForePaw', at: [0.075, 0.024, 0.2] },
];

const HIND_LEG: Place[] = [
  { name: 'LeftHindThigh', parent: 'Hips', at: [0.066, 0.465, -0.27] },
  { name: 'LeftHindShin', parent: 'LeftHindThigh', at: [0.082, 0.305, -0.19] },
  { name: 'LeftHindPaw', parent: 'LeftHindShin', at: [0.08, 0.155, -0.325] },
  { name: 'LeftHindToes', parent: 'LeftHindPaw', at: [0.08, 0.024, -0.275] },
];

const other = (name: string) => name.replace(/^Left/, 'Right');
const mirrored = (places: readonly Place[]): Place[] =>
  places.map(({ name, parent, at }) => ({ name: other(name), parent: other(parent), at: mirror(at) }));
const both = (places: readonly Place[]): Place[] => [...places, ...mirrored(places)];

/** Brindle's joints at rest, each parent right before its first child. She stands on the origin and looks along +z. */
export const PLACES: readonly Place[] = [
  { name: 'Hips', parent: '', at: [0, 0.5, -0.26] },
  { name: 'Spine1', parent: 'Hips', at: [0, 0.512, -0.13] },
  { name: 'Spine2', parent: 'Spine1', at: [0, 0.512, 0.01] },
  { name: 'Chest', parent: 'Spine2', at: [0, 0.5, 0.14] },
  { name: 'Neck1', parent: 'Chest', at: [0, 0.545, 0.25] },
  { name: 'Neck2', parent: 'Neck1', at: [0, 0.615, 0.315] },
  { name: 'Head', parent: 'Neck2', at: [0, 0.68, 0.375] },
  { name: 'Jaw', parent: 'Head', at: [0, 0.652, 0.425] },
  ...both(EAR),
  ...both(FORE_LEG),
  ...both(HIND_LEG),
  { name: 'Tail1', parent: 'Hips', at: [0, 0.515, -0.345] },
  { name: 'Tail2', parent: 'Tail1', at: [0, 0.53, -0.42] },
  { name: 'Tail3', parent: 'Tail2', at: [0, 0.57, -0.485] },
  { name: 'Tail4', parent: 'Tail3', at: [0, 0.63, -0.525] },
  { name: 'Tail5', parent: 'Tail4', at: [0, 0.695, -0.53] },
];

export const placeOf = (name: string): V => placeIn(PLACES, name);

export const BRINDLE: Rig = rigAt(PLACES);
