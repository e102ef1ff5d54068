import type { Stroke } from '@evlay/core';
import { getStroke } from 'perfect-freehand';

/** Draws strokes on a picture of some size: their points are counted from its middle, in its heights. */
export function drawStrokes(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  strokes: readonly Stroke[],
): void {
  for (const { points, color, width: wide } of strokes) {
    const outline = getStroke(
      points.map(([x, y, pressure]) => [width / 2 + x * height, height / 2 + y * height, pressure]),
      { size: wide * height, thinning: 0.6, smoothing: 0.5, streamline: 0, simulatePressure: false },
    );
    if (outline.length === 0) continue;
    context.fillStyle = color;
    context.beginPath();
    for (const [k, [x, y]] of outline.entries())
      if (k === 0) context.moveTo(x, y);
      else context.lineTo(x, y);
    context.closePath();
    context.fill();
  }
}
