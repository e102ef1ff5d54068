import type { HandMoved } from '@evlay/core/take';
import { frameToX, type TimeScale } from '../timeline/time-scale.js';

interface HandRowProps {
  readonly moved: readonly HandMoved[];
  /** In a unit of the rig. */
  readonly centimetres: number;
  readonly frameOf: (sample: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
}

/** When one hand was moved so that it keeps its distance. */
export function HandRow({ moved, centimetres, frameOf, scale, y, height }: HandRowProps) {
  return moved.map(({ from, to, most }) => {
    const [a, b] = [frameToX(scale, frameOf(from)), frameToX(scale, frameOf(to))];
    const text = `kept near by up to ${(most * centimetres).toFixed(1)} cm, samples ${from} to ${to}`;
    return (
      <rect
        key={from}
        x={a}
        y={y + 3}
        width={Math.max(2, b - a)}
        height={height - 6}
        rx={2}
        fill="var(--evlay-colors-lamp)"
        fillOpacity={0.7}
        data-does={text}
      >
        <title>{text}</title>
      </rect>
    );
  });
}
