/** How it plays. */
export interface Playback {
  readonly playing: boolean;
  readonly loop: boolean;
  /** How fast it plays, as part of the project's rate, and between which frames, where that is not the whole range. */
  readonly playSpeed: number;
  readonly playRange: readonly [number, number] | undefined;
}

export const newPlayback = (): Playback => ({
  playing: false,
  loop: true,
  playSpeed: 1,
  playRange: undefined,
});
