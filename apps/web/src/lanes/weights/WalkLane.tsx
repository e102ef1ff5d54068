import { layerById } from '@evlay/core';
import { walkingSpans } from '@evlay/core/check';
import { partLabel } from '@evlay/core/rig';
import { useMemo } from 'react';
import { useCalmProject } from '../../editor/context.js';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { RowNames } from '../stack/RowNames.js';

interface WalkLaneProps {
  readonly id: string;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** When the legs of a base that walks by rule stand, one row a leg: its numbers say it. */
export function WalkLane({ id, lit, scale, height }: WalkLaneProps) {
  const project = useCalmProject((current) => current);
  const legs = useMemo(() => {
    const layer = layerById(project, id);
    return layer ? [...walkingSpans(project, layer)] : [];
  }, [project, id]);
  if (legs.length === 0) return null;
  const row = Math.min(18, (height - 4) / legs.length);
  const top = lit ? Math.max(2, (height - row * legs.length) / 2) : 2;
  return (
    <g>
      {legs.flatMap(([{ name }, spans], k) =>
        spans.map(([from, to]) => {
          const [a, b] = [frameToX(scale, from), frameToX(scale, to)];
          return (
            <rect
              key={`${name} ${from}`}
              x={a}
              y={top + k * row + 1}
              width={Math.max(2, b - a)}
              height={row - 2}
              rx={2}
              fill="var(--evlay-colors-quiet)"
            />
          );
        }),
      )}
      {lit && <RowNames names={legs.map(([{ name }]) => partLabel(name))} top={top} row={row} />}
    </g>
  );
}
