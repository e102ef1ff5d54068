import type { Doubt } from '@evlay/core/take';
import { frameToX, type TimeScale } from '../timeline/time-scale.js';

interface DoubtRowProps {
  readonly doubts: readonly Doubt[];
  readonly frameOf: (sample: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
}

/** When samples were lost and filled in, or a joint was seen badly. */
export function DoubtRow({ doubts, frameOf, scale, y, height }: DoubtRowProps) {
  return doubts.map(({ what, joint, from, to }) => {
    const [a, b] = [frameToX(scale, frameOf(from)), frameToX(scale, frameOf(to))];
    const samples = from === to ? `sample ${from}` : `samples ${from} to ${to}`;
    const text = what === 'lost' ? `${samples} lost and filled in` : `${joint} seen badly, ${samples}`;
    return (
      <rect
        key={`${from} ${joint ?? ''}`}
        x={a - 1}
        y={y + 3}
        width={Math.max(2, b - a + 2)}
        height={height - 6}
        fill={what === 'lost' ? 'var(--evlay-colors-alarm)' : 'var(--evlay-colors-lamp)'}
        fillOpacity={0.8}
        data-does={text}
      >
        <title>{text}</title>
      </rect>
    );
  });
}
