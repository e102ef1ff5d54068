import type { Stroke } from '@evlay/core';

/** The notes while they are open: what is drawn for the next one, and which are seen over the view. */
export interface NotesOpen {
  readonly drawing: boolean;
  readonly strokes: readonly Stroke[];
  /** The reference over which it is drawn, by its name; over the view where missing. */
  readonly over?: string;
  /** The colour of the next stroke, as `#RRGGBB`. */
  readonly ink: string;
  /** People whose notes are not seen. */
  readonly without: readonly string[];
  /** Of how many frames before and after drawings are seen too. */
  readonly around: number;
  /** Whether those that are done are seen. */
  readonly done: boolean;
}

/** What a review file shows. */
export interface ReviewSettings {
  readonly range: readonly [number, number];
  /** Names of variants. */
  readonly variants: readonly string[];
  /** Ids of the layers that can be turned there. */
  readonly layers: readonly string[];
}
