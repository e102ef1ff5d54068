import { type CompiledLayer, isCurve, type Scalar } from '@evlay/core';
import { frameToX, type TimeScale, xToFrame } from '../../timeline/time-scale.js';

/** Room in pixels above and below a lane's shape; keys stand in the lower one. */
const ABOVE = 3;
const BELOW = 3;

/** The weight at the top of a lane: 1, or 2 where an additive layer goes past 1. */
export function topWeight({ layer, additive }: Pick<CompiledLayer, 'layer' | 'additive'>): number {
  const { weight } = layer;
  const most = isCurve(weight) ? Math.max(...weight.keys.map((key) => key.value)) : weight;
  return additive && most > 1 ? 2 : 1;
}

export const weightToY = (weight: number, top: number, height: number): number =>
  height - BELOW - (weight / top) * (height - ABOVE - BELOW);

export const yToWeight = (y: number, top: number, height: number): number =>
  ((height - BELOW - y) / (height - ABOVE - BELOW)) * top;

/** Frames at which a line has to have a point: the keys of what it shows, and just beside the ends of a span. */
export function cornersOf(
  scalars: readonly (Scalar | undefined)[],
  span?: CompiledLayer['layer']['span'],
): number[] {
  const keys = scalars.flatMap((scalar) =>
    scalar !== undefined && isCurve(scalar) ? scalar.keys.map(({ frame }) => frame) : [],
  );
  const ends = [span?.start, span?.end].flatMap((end) =>
    end === undefined ? [] : [end - 1e-5, end, end + 1e-5],
  );
  return [...keys, ...ends];
}

/**
 * The line of a value across a lane, as points of an SVG path. It is sampled every other pixel and at its corners, so
 * that nothing sharp is cut off.
 */
export function valueLine(
  valueAt: (frame: number) => number,
  corners: readonly number[],
  scale: TimeScale,
  height: number,
  top: number,
): string {
  const frames = [...corners];
  for (let x = 0; x <= scale.width; x += 2) frames.push(xToFrame(scale, x));
  const shown = frames.filter((frame) => frame >= scale.from && frame <= scale.to).sort((a, b) => a - b);
  const points = shown.map(
    (frame) =>
      [frameToX(scale, frame).toFixed(1), weightToY(valueAt(frame), top, height).toFixed(1)] as const,
  );
  // A level stretch is one line: browsers draw one that is cut in pieces unevenly.
  return points
    .filter(([, y], i) => points[i - 1]?.[1] !== y || points[i + 1]?.[1] !== y)
    .map((point) => point.join(' '))
    .join(' L');
}
