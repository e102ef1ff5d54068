import type { ReferenceVideo } from './session.js';

/** The second of a video that belongs to a frame of the project. */
export function secondAt({ offset, from, to }: ReferenceVideo, frame: number, fps: number): number {
  const second = from + (frame - offset) / fps;
  return Math.min(to ?? Number.POSITIVE_INFINITY, Math.max(from, second));
}
