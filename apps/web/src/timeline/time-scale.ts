import type { Project } from '@evlay/core';

/** How frames lie on the lanes: `from` is at the left edge, `to` at the right, `width` pixels apart. */
export interface TimeScale {
  readonly from: number;
  readonly to: number;
  readonly width: number;
}

export const frameToX = (scale: TimeScale, frame: number): number =>
  ((frame - scale.from) / (scale.to - scale.from)) * scale.width;

export const xToFrame = (scale: TimeScale, x: number): number =>
  scale.from + (x / scale.width) * (scale.to - scale.from);

export const framesPerPixel = (scale: TimeScale): number => (scale.to - scale.from) / scale.width;

/** The window that shows the whole range with a little room on both sides. */
export function wholeRange([first, last]: Project['range']): readonly [number, number] {
  const room = Math.max(1, (last - first) * 0.03);
  return [first - room, last + room];
}

/** A window zoomed by a factor around a frame, held within a hundred times the range and four frames. */
export function zoomed(
  window: readonly [number, number],
  around: number,
  factor: number,
  range: Project['range'],
): readonly [number, number] {
  const most = (wholeRange(range)[1] - wholeRange(range)[0]) * 1.5;
  const span = Math.min(most, Math.max(4, (window[1] - window[0]) * factor));
  const share = (around - window[0]) / (window[1] - window[0]);
  return [around - share * span, around + (1 - share) * span];
}

/** Frames at which the ruler has marks: steps of 1, 2 or 5 times a power of ten, at least `room` pixels apart. */
export function rulerStep(scale: TimeScale, room: number): number {
  const least = framesPerPixel(scale) * room;
  const power = 10 ** Math.floor(Math.log10(Math.max(1, least)));
  return [1, 2, 5, 10].map((k) => k * power).find((step) => step >= least) ?? 10 * power;
}
