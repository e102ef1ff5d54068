import type { KeyLimits, MotionKeys } from '@evlay/core/keys';
import { usualLimits } from '@evlay/core/keys';
import { facesOf, type Rig } from '@evlay/core/rig';

/** What flags say of how far keys may be from the samples. */
export interface LimitFlags {
  readonly tolerance?: number;
  readonly angle?: number;
}

/** The limits that flags ask for; undefined where they ask for none. One that is missing is what is usual. */
export const limitsOf = (rig: Rig, { tolerance, angle }: LimitFlags): KeyLimits | undefined =>
  tolerance === undefined && angle === undefined
    ? undefined
    : { length: tolerance ?? usualLimits(rig).length, angle: angle ?? usualLimits(rig).angle };

/** Keys before and after, and the largest error, for programs. */
export interface KeysSummary {
  readonly before: number;
  readonly after: number;
  readonly error: {
    readonly length: number;
    readonly joint: string;
    readonly frame: number;
    readonly angle: number;
    readonly angleJoint: string;
    readonly angleFrame: number;
    /** Of face channels, where the character has some. */
    readonly number?: number;
    readonly face?: string;
    readonly faceFrame?: number;
  };
}

export const summaryOf = (
  rig: Rig,
  { before, after, error }: Pick<MotionKeys, 'before' | 'after' | 'error'>,
  frameOf: (sample: number) => number,
): KeysSummary => ({
  before,
  after,
  error: {
    length: error.length,
    joint: rig.joints[error.moved].name,
    frame: frameOf(error.movedAt),
    angle: error.angle,
    angleJoint: rig.joints[error.turned].name,
    angleFrame: frameOf(error.turnedAt),
    ...(facesOf(rig).length > 0 && {
      number: error.number,
      face: facesOf(rig)[error.changed].name,
      faceFrame: frameOf(error.changedAt),
    }),
  },
});
