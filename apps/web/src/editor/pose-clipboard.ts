import { createStore } from 'zustand/vanilla';

/** A pose that was copied, as it was seen: local transforms by the names of joints, numbers by those of face channels. */
export interface CopiedPose {
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

/** The pose that was copied last, in whichever project: it can be pasted in another one with the same joints. */
export const poseClipboard = createStore<{ readonly copied: CopiedPose | undefined }>(() => ({
  copied: undefined,
}));
