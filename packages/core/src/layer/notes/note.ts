import type { Vector3 } from '../../rig/rig.js';

/** A point of a stroke: across and down from the middle of the picture, in heights of it, and how hard it was pressed, 0 to 1. */
export type StrokePoint = readonly [x: number, y: number, pressure: number];

/** A line that was drawn on a picture. */
export interface Stroke {
  readonly points: readonly StrokePoint[];
  /** `#RRGGBB`. */
  readonly color: string;
  /** How wide it is where it is pressed in full, in heights of the picture. */
  readonly width: number;
}

/** From where a note was made: places in units of the rig, the field of view from edge to edge upright in degrees. */
export interface NoteView {
  readonly from: Vector3;
  readonly at: Vector3;
  readonly fov: number;
}

/** What was said into a microphone, as a file of its own kind. */
export interface Voice {
  /** Of the kind `audio/…`. */
  readonly type: string;
  /** In base64. */
  readonly data: string;
}

/** What somebody says about a frame. */
export interface Note {
  readonly id: string;
  readonly frame: number;
  readonly by: string;
  readonly text: string;
  readonly strokes: readonly Stroke[];
  /** The reference over which it was drawn, by its name; over the view where missing. */
  readonly over?: string;
  readonly view?: NoteView;
  /** The variant that was shown, by its name. */
  readonly variant?: string;
  readonly voice?: Voice;
  /** What the animator says to it. */
  readonly answer?: string;
  readonly done?: true;
}
