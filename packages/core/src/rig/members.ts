import type { FaceChannel, Rig } from './joint.js';
import { topologyOf } from './topology.js';

/**
 * The members of a rig are what layers act on by name: its joints, then its face channels. Masks, weights, shares and parts
 * have one entry for each.
 */

const NO_FACES: readonly FaceChannel[] = [];

/** The face channels of a rig. */
export const facesOf = ({ faces = NO_FACES }: Rig): readonly FaceChannel[] => faces;

export const memberCount = (rig: Rig): number => rig.joints.length + facesOf(rig).length;

/** Name of a member, by its index. */
export const memberName = (rig: Rig, member: number): string =>
  (rig.joints[member] ?? facesOf(rig)[member - rig.joints.length]).name;

/** Names of all members. */
export const memberNames = (rig: Rig): readonly string[] => {
  const { names, faces } = topologyOf(rig);
  return [...names, ...faces];
};

/** Index of a face channel among the face channels, by name, or -1. */
export const faceIndex = (rig: Rig, name: string): number => topologyOf(rig).faceIndices.get(name) ?? -1;

/** Index of a member, by name, or -1. */
export function memberIndex(rig: Rig, name: string): number {
  const joint = topologyOf(rig).indices.get(name);
  if (joint !== undefined) return joint;
  const face = faceIndex(rig, name);
  return face < 0 ? -1 : rig.joints.length + face;
}

/** Whether a member is a face channel. */
export const isFace = (rig: Rig, member: number): boolean => member >= rig.joints.length;

/** The face channel that a member is. */
export const faceOf = (rig: Rig, member: number): FaceChannel => facesOf(rig)[member - rig.joints.length];
