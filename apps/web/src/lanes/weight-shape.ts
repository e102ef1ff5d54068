import { type CompiledLayer } from '@evlay/core';
import { layerWeight } from '@evlay/core/evaluate';
import { frameToX, type TimeScale, xToFrame } from './time-scale.js';

/** Room in pixels above and below a lane's shape; keys stand in the lower one. */
const ABOVE = 3;
const BELOW = 3;

/** The weight at the top of a lane: 1, or 2 where an additive layer goes past 1. */
export function topWeight(compiled: CompiledLayer): number {
  const { weight } = compiled.layer;
  const most = typeof weight === 'number' ? weight : Math.max(...weight.keys.map((key) => key.value));
  return compiled.additive && most > 1 ? 2 : 1;
}

export const weightToY = (weight: number, top: number, height: number): number =>
  height - BELOW - (weight / top) * (height - ABOVE - BELOW);

export const yToWeight = (y: number, top: number, height: number): number =>
  ((height - BELOW - y) / (height - ABOVE - BELOW)) * top;

/**
 * The line of weight times fades across a lane, as points of an SVG path. It is sampled every other pixel, and
 * at every corner of span and curve, so that nothing sharp is cut off.
 */
export function weightLine(compiled: CompiledLayer, scale: TimeScale, height: number, top: number): string {
  const { span, weight } = compiled.layer;
  const frames: number[] = [];
  for (let x = 0; x <= scale.width; x += 2) frames.push(xToFrame(scale, x));
  if (typeof weight !== 'number') for (const key of weight.keys) frames.push(key.frame);
  for (const end of [span?.start, span?.end]) if (end !== undefined) frames.push(end - 1e-5, end, end + 1e-5);
  const shown = frames.filter((frame) => frame >= scale.from && frame <= scale.to).sort((a, b) => a - b);
  const points = shown.map(
    (frame) =>
      [
        frameToX(scale, frame).toFixed(1),
        weightToY(layerWeight(compiled, frame), top, height).toFixed(1),
      ] as const,
  );
  // A level stretch is one line: browsers draw one that is cut in pieces unevenly.
  return points
    .filter(([, y], i) => points[i - 1]?.[1] !== y || points[i + 1]?.[1] !== y)
    .map((point) => point.join(' '))
    .join(' L');
}
