import { copyPose, type Pose, restPose } from '../../rig/pose.js';
import type { Rig } from '../../rig/rig.js';

/**
 * Poses below a layer with contacts, of frames that were evaluated ahead of the one that plays: when that comes, nothing
 * below has to be evaluated again. The latest are kept.
 */
export interface PosesAhead {
  readonly frames: Float64Array;
  readonly poses: Pose[];
  /** How many were kept so far. */
  count: number;
}

/** Keeps up to `size` poses. */
export const newPosesAhead = (size: number): PosesAhead => ({
  frames: new Float64Array(size).fill(Number.NaN),
  poses: [],
  count: 0,
});

/** Keeps a copy of the pose of a frame. */
export function keepPose(ahead: PosesAhead, rig: Rig, frame: number, pose: Pose): void {
  const place = ahead.count++ % ahead.frames.length;
  ahead.frames[place] = frame;
  ahead.poses[place] ??= restPose(rig);
  copyPose(ahead.poses[place], pose);
}

/** The pose of a frame, where it is kept. */
export function poseAhead({ frames, poses, count }: PosesAhead, frame: number): Pose | undefined {
  if (count === 0) return undefined;
  const place = frames.indexOf(frame);
  return place < 0 ? undefined : poses[place];
}
