import { facesOf } from '../rig/members.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { BLOCK, newTurnKernel, type TurnKernel } from './turn-kernel.js';

/** Room for the poses of a block of frames: all of one kind stand one after the other, `poses` look into them. */
export interface PoseBlock extends Pose {
  readonly poses: readonly Pose[];
  /** The same with the rest pose in it everywhere. */
  readonly rest: Pose;
  /** What the rotations lie in, where this machine runs it. */
  readonly kernel: TurnKernel | undefined;
}

let latest: { readonly rig: Rig; readonly block: PoseBlock } | undefined;

/**
 * Room for a block of poses of a rig. Whoever asks next for the same rig is given the same: what lies in it has to be copied
 * before other blocks are evaluated.
 */
export function poseBlock(rig: Rig): PoseBlock {
  if (latest?.rig !== rig) latest = { rig, block: newPoseBlock(rig) };
  return latest.block;
}

/** Room of its own for a block of poses of a rig. */
export function newPoseBlock(rig: Rig): PoseBlock {
  const n = rig.joints.length;
  const kernel = newTurnKernel(n);
  const translations = new Float64Array(3 * n * BLOCK);
  const rotations = kernel?.rotations ?? new Float64Array(4 * n * BLOCK);
  const scales = new Float64Array(3 * n * BLOCK);
  const m = facesOf(rig).length;
  const faces = new Float64Array(m * BLOCK);
  const poses = Array.from({ length: BLOCK }, (_, i) => ({
    translations: translations.subarray(3 * n * i, 3 * n * (i + 1)),
    rotations: rotations.subarray(4 * n * i, 4 * n * (i + 1)),
    scales: scales.subarray(3 * n * i, 3 * n * (i + 1)),
    faces: faces.subarray(m * i, m * (i + 1)),
  }));
  for (const pose of poses) copyPose(pose, restPose(rig));
  const rest = {
    translations: translations.slice(),
    rotations: rotations.slice(),
    scales: scales.slice(),
    faces: faces.slice(),
  };
  return { translations, rotations, scales, faces, poses, rest, kernel };
}
