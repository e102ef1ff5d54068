import type { Quaternion } from '../rig/rig.js';

/** What a saved pose holds: the fingers of one hand, some joints, the whole character, or an expression of the face. */
export const POSE_KINDS = ['hand', 'part', 'whole', 'face'] as const;
export type PoseKind = (typeof POSE_KINDS)[number];

/** A joint in a saved pose. */
export interface PosedJoint {
  readonly name: string;
  /** What the joint is to the body, such as `leftIndex1`, where that is known: so it is found on another rig. */
  readonly role?: string;
  /** How far it has turned from rest against its parent, in the axes of the scene at rest. */
  readonly turn: Quaternion;
}

/** A pose of the pose book. It holds rotations, and for a whole character how high the root is; of the face its numbers. */
export interface SavedPose {
  readonly id: string;
  readonly name: string;
  readonly tags: readonly string[];
  readonly kind: PoseKind;
  readonly joints: readonly PosedJoint[];
  /** Face channels that it holds, by name. */
  readonly faces?: Readonly<Record<string, number>>;
  /** By how much the root is above or below its place at rest, as a part of the character's height. */
  readonly rise?: number;
}
