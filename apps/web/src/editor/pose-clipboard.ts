import type { SavedPose } from '@evlay/core';
import { createStore } from 'zustand/vanilla';

/**
 * A pose that was copied, as it was seen: local transforms by a character's own names of joints, numbers by those of face channels, and
 * what a character with other joints is posed by.
 */
export interface CopiedPose {
  /** The name of the character in its scene. */
  readonly character: string;
  readonly byRole: SavedPose;
  readonly joints: Readonly<
    Record<
      string,
      {
        readonly rotation?: readonly number[];
        readonly translation?: readonly number[];
        readonly scale?: readonly number[];
        readonly m?: number;
      }
    >
  >;
}

/** The pose that was copied last, in whichever project: it can be pasted on another character, and in another project. */
export const poseClipboard = createStore<{ readonly copied: CopiedPose | undefined }>(() => ({
  copied: undefined,
}));
