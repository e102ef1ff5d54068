import type { EulerOrder } from '../math/euler.js';

export type Vector3 = readonly [number, number, number];
export type Quaternion = readonly [number, number, number, number];

/** One node of the skeleton, with its rest transform relative to its parent. */
export interface Joint {
  readonly name: string;
  /** Index of the parent in the rig's joints, always smaller than the joint's own; -1 for the root. */
  readonly parent: number;
  readonly translation: Vector3;
  readonly rotation: Quaternion;
  readonly scale: Vector3;
  readonly order: EulerOrder;
  /** Offsets of the ends of the chain that hang on this joint: BVH end sites. */
  readonly ends: readonly Vector3[];
  /** The channels as a BVH file lists them, in its order; empty for a rig from elsewhere. */
  readonly channels: readonly BvhChannel[];
  /** What the joint is to the body, where its file says so: the name of a humanoid bone by VRM 1.0, such as `leftUpperArm`. */
  readonly bone?: string;
}

export const BVH_CHANNELS = [
  'Xposition',
  'Yposition',
  'Zposition',
  'Xrotation',
  'Yrotation',
  'Zrotation',
] as const;
export type BvhChannel = (typeof BVH_CHANNELS)[number];

/** A single number of a character: the weight of the morph targets of one name (glTF 2.0, 3.7.2.2). */
export interface FaceChannel {
  /** Told apart from the names of joints and other face channels. */
  readonly name: string;
  readonly rest: number;
}

/** Where a character stands in the scene: its joints without a parent are children of it. */
export interface Frame {
  readonly at: Vector3;
  /** A turn about Y. */
  readonly turn: Quaternion;
  readonly scale: number;
}

/** A character of the rig of a scene. */
export interface RigCharacter {
  /** What stands with a slash before the names of its joints in the scene; empty for the first, whose names are plain. */
  readonly name: string;
  /** Its own joints, by their own names. */
  readonly rig: Rig;
  /** Missing for the first, which stands in the scene itself. */
  readonly frame?: Frame;
}

/**
 * A skeleton in its rest pose. Joints stand in depth-first order, each parent right before its first child;
 * names are unique; a character has one root. The rig of a scene has the joints of its characters one after the other, and
 * then those of its props, which have no parent. `faces` are its face channels, of a scene those of its characters one after
 * the other.
 */
export interface Rig {
  readonly joints: readonly Joint[];
  readonly faces?: readonly FaceChannel[];
  /** Of the rig of a scene; missing where a rig is one character itself. */
  readonly characters?: readonly RigCharacter[];
}

/** The characters of a scene, without props: a rig that is no scene is a character itself. */
export const charactersOf = (rig: Rig): readonly RigCharacter[] => rig.characters ?? [{ name: '', rig }];
