import { mapTime, type TimeMapped } from '../../layer/map-time.js';
import type { Project } from '../../layer/project.js';
import { framesInserted, framesRemoved, stretched } from '../../layer/time-map.js';

/**
 * Inserts frames before a frame of the project, or removes frames from there on where `count` is negative: what comes
 * later moves, and what stood on a removed frame goes. With `layer` only what belongs to that one moves. A take or a loop
 * cannot be cut open: it moves where all of it comes later, else it stays.
 */
export const insertFrames = (project: Project, frame: number, count: number, layer?: string): TimeMapped =>
  mapTime(
    project,
    count > 0 ? framesInserted(frame, count) : framesRemoved(frame, -count),
    layer === undefined ? undefined : [layer],
  );

/** What is retimed: the frames of the project from which to which, by which factor, of which layers. */
export interface Retime {
  readonly range: readonly [number, number];
  /** How much longer the range becomes: 2 is twice as long, and so half as fast. Above 0. */
  readonly factor: number;
  /** Ids of layers; all of them, with the range and the marks of the project, where undefined. */
  readonly layers?: readonly string[];
}

/**
 * Makes a range slower or faster; what is behind it follows. A take, or a loop, cannot be stretched in part: it follows
 * where the whole of it lies in the range, or behind it, else it stays and is named.
 */
export const retime = (project: Project, { range, factor, layers }: Retime): TimeMapped =>
  mapTime(project, stretched(range, factor > 0 ? factor : 1), layers);
