import type { Take } from '@evlay/core';

/** How it plays. */
export interface Playback {
  readonly playing: boolean;
  readonly loop: boolean;
  /** How fast it plays, as part of the project's rate, and between which frames, where that is not the whole range. */
  readonly playSpeed: number;
  readonly playRange: readonly [number, number] | undefined;
  /** What a capture stage sends now, as a take of one sample. */
  readonly live: Take | undefined;
}

export const newPlayback = (): Playback => ({
  playing: false,
  loop: true,
  playSpeed: 1,
  playRange: undefined,
  live: undefined,
});
