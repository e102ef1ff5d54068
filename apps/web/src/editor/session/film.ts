import type { Project } from '@evlay/core';
import type { Job } from '@evlay/core/job';

/** What a film is written as: two kinds of video, a GIF, numbered pictures in a zip, one picture of the first frame, or a sheet of small pictures. */
export const FILM_KINDS = ['mp4', 'webm', 'gif', 'pictures', 'picture', 'sheet'] as const;
export type FilmKind = (typeof FILM_KINDS)[number];

/** What is filmed and how. */
export interface FilmSettings {
  readonly kind: FilmKind;
  /** First and last frame of the project. */
  readonly range: readonly [number, number];
  /** Pictures a second. */
  readonly rate: number;
  /** Of the whole picture, in pixels. */
  readonly width: number;
  readonly height: number;
  /** How many poses a sheet shows of each variant. */
  readonly poses: number;
  /** The camera prop that films; where missing it is filmed from where the view looks now. */
  readonly camera?: string;
  /** Names of variants, in their order; where there are none the stack as it is shown. */
  readonly variants: readonly string[];
  /** Whether several variants are side by side in one picture, or one after the other. */
  readonly beside: boolean;
  /** Width by height of what is seen; bars fill the rest. All of the picture where missing. */
  readonly ratio?: number;
  /** What is written on it: the number of the frame, layers with their weights, a line of one's own. */
  readonly numbers: boolean;
  readonly layers: boolean;
  readonly line: string;
  /** Whether notes are seen at their frames, with what was drawn. */
  readonly notes: boolean;
  /** Whether references are beside it, but plates, which are behind it. */
  readonly reference: boolean;
}

/** Draws one frame into a canvas of its own, which is the same each time. */
export interface FilmCamera {
  readonly canvas: HTMLCanvasElement;
  /** Draws a frame of a variant; of the stack as it is where none is named. Gives what is written of its layers. */
  readonly draw: (frame: number, variant: string | undefined) => readonly LayerLine[];
}

/** A layer that plays at a frame, and what it weighs there. */
export interface LayerLine {
  readonly name: string;
  readonly color: string | undefined;
  readonly weight: number;
}

/** A film that is under way: who sets up its stage hears of the camera or why there is none. */
export interface Filming {
  readonly job: Job<unknown>;
  readonly project: Project;
  readonly settings: FilmSettings;
  /** Of the picture of one variant, in pixels. */
  readonly size: readonly [width: number, height: number];
  /** Performance time at which it was begun, in milliseconds. */
  readonly since: number;
  readonly ready: (camera: FilmCamera) => void;
}
