import type { Project } from '@evlay/core';
import { framesPerPixel, type TimeScale } from './time-scale.js';

/** So near, in pixels, a key comes onto a mark. */
const NEAR = 6;

/**
 * By how many frames keys move that are dragged by `by`: whole ones, or as many as bring the one that was taken hold of,
 * at frame `grabbed` of the project, onto a mark that is near.
 */
export function snapped(project: Project, scale: TimeScale, grabbed: number | undefined, by: number): number {
  if (grabbed === undefined) return Math.round(by);
  const near = NEAR * framesPerPixel(scale);
  const mark = project.marks.find(({ frame }) => Math.abs(grabbed + by - frame) <= near);
  return mark ? mark.frame - grabbed : Math.round(by);
}
