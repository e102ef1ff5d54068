import type { Rig } from '@evlay/core';
import { sub, type V } from './vector.js';

/** A joint at rest: its name, its parent's, and where it is in metres. */
export interface Place {
  readonly name: string;
  readonly parent: string;
  readonly at: V;
}

/** The place of a joint at rest. */
export function placeIn(places: readonly Place[], name: string): V {
  const place = places.find((candidate) => candidate.name === name);
  if (!place) throw new Error(`there is no joint ${name}`);
  return place.at;
}

/** The rig of joints that stand at their places, none of them turned. */
export const rigAt = (places: readonly Place[]): Rig => ({
  joints: places.map(({ name, parent, at }) => ({
    name,
    parent: places.findIndex((candidate) => candidate.name === parent),
    translation: parent === '' ? at : sub(at, placeIn(places, parent)),
    rotation: [0, 0, 0, 1],
    scale: [1, 1, 1],
    order: 'XYZ',
    ends: [],
    channels: [],
  })),
});
