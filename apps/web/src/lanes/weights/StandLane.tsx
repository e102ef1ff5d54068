import type { CompiledLayer, StandingSpan } from '@evlay/core';
import type { ReactNode } from 'react';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { RowNames } from '../stack/RowNames.js';

/** Where a row of a lane lies, and how what is counted there comes to frames of the axis. */
export interface StandPlace {
  readonly frameOf: (at: number) => number;
  readonly atOf: (frame: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
  readonly editable: boolean;
}

interface StandLaneProps {
  readonly compiled: CompiledLayer;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
  /** What stands, a row each, and when. */
  readonly rows: readonly {
    readonly name: string;
    readonly label: string;
    readonly spans: readonly StandingSpan[];
  }[];
  /** Frames of the layer's own in one of what spans are counted in. */
  readonly unit: number;
  /** Draws the row of a name, with spans that can be changed. */
  readonly row: (name: string, place: StandPlace) => ReactNode;
}

/** More rounds of a loop than this are not drawn one by one. */
const MOST_ROUNDS = 100;

/** When feet or limbs stand by what a layer plays, one row each; those of a loop come round fainter. */
export function StandLane({ compiled, lit, scale, height, rows, unit, row: drawn }: StandLaneProps) {
  const { time } = compiled;
  if (rows.length === 0 || time.speed === 0) return null;
  const row = Math.min(18, (height - 4) / rows.length);
  const top = lit ? Math.max(2, (height - row * rows.length) / 2) : 2;
  const frameOf = (at: number, round = 0) => time.offset + (at * unit + round * time.length) / time.speed;
  const atOf = (frame: number) => ((frame - time.offset) * time.speed) / unit;
  const within = (at: number) => {
    const own = at * unit;
    return time.loop === 'none' || (own >= time.start - 1e-6 && own <= time.start + time.length + 1e-6);
  };
  const again = roundsInSight(compiled, scale).filter((round) => round !== 0);
  return (
    <g>
      {again.flatMap((round) =>
        rows.flatMap(({ name, spans }, k) =>
          spans
            .filter(([from, to]) => within(from) || within(to))
            .map((span) => {
              const [a, b] = span.map((at) => frameToX(scale, frameOf(at, round)));
              return (
                <rect
                  key={`${round} ${name} ${span[0]}`}
                  x={Math.min(a, b)}
                  y={top + k * row + 1}
                  width={Math.max(2, Math.abs(b - a))}
                  height={row - 2}
                  rx={2}
                  fill="var(--evlay-colors-quiet)"
                  fillOpacity={0.4}
                />
              );
            }),
        ),
      )}
      {rows.map(({ name }, k) =>
        drawn(name, {
          frameOf: (at) => frameOf(at),
          atOf,
          scale,
          y: top + k * row,
          height: row,
          editable: lit,
        }),
      )}
      {lit && <RowNames names={rows.map(({ label }) => label)} top={top} row={row} />}
    </g>
  );
}

/** The rounds of a loop of which something can be seen. */
function roundsInSight({ time }: CompiledLayer, scale: TimeScale): number[] {
  if (time.loop === 'none') return [0];
  const rounds = [scale.from, scale.to].map(
    (frame) => ((frame - time.offset) * time.speed - time.start) / time.length,
  );
  const [first, last] = [Math.floor(Math.min(...rounds)), Math.floor(Math.max(...rounds))];
  if (last - first > MOST_ROUNDS) return [0];
  return Array.from({ length: last - first + 1 }, (_, k) => first + k);
}
