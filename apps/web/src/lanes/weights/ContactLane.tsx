import { type CompiledLayer, takeOf } from '@evlay/core';
import { useProject } from '../../editor/context.js';
import { ContactRow } from '../../timeline/ContactRow.js';
import { frameToX, type TimeScale } from '../../timeline/time-scale.js';
import { RowNames } from '../stack/RowNames.js';

interface ContactLaneProps {
  readonly compiled: CompiledLayer;
  readonly lit: boolean;
  readonly scale: TimeScale;
  readonly height: number;
}

/** More rounds of a loop than this are not drawn one by one. */
const MOST_ROUNDS = 100;

/** When the feet stand in the take that the base plays, one row a foot; those of a loop come round fainter. */
export function ContactLane({ compiled, lit, scale, height }: ContactLaneProps) {
  const { layer, time } = compiled;
  const fps = useProject((project) => project.fps);
  const take = useProject((project) => project.takes.find(({ id }) => id === takeOf(layer)?.take));
  const contacts = take?.contacts;
  if (!contacts || contacts.joints.length === 0 || time.speed === 0) return null;
  const { joints: feet } = contacts;
  const row = Math.min(18, (height - 4) / feet.length);
  const top = lit ? Math.max(2, (height - row * feet.length) / 2) : 2;
  const perSample = take.interval * fps;
  const frameOf = (sample: number, round = 0) =>
    time.offset + (sample * perSample + round * time.length) / time.speed;
  const sampleOf = (frame: number) => ((frame - time.offset) * time.speed) / perSample;
  const within = (sample: number) => {
    const own = sample * perSample;
    return time.loop === 'none' || (own >= time.start - 1e-6 && own <= time.start + time.length + 1e-6);
  };
  return (
    <g>
      {roundsInSight(compiled, scale)
        .filter((round) => round !== 0)
        .flatMap((round) =>
          contacts.spans
            .filter(({ from, to }) => within(from) || within(to))
            .map(({ joint, from, to }) => {
              const [a, b] = [from, to].map((sample) => frameToX(scale, frameOf(sample, round)));
              return (
                <rect
                  key={`${round} ${joint} ${from}`}
                  x={Math.min(a, b)}
                  y={top + feet.indexOf(joint) * row + 1}
                  width={Math.max(2, Math.abs(b - a))}
                  height={row - 2}
                  rx={2}
                  fill="var(--evlay-colors-quiet)"
                  fillOpacity={0.4}
                />
              );
            }),
        )}
      {feet.map((foot, k) => (
        <ContactRow
          key={foot}
          take={take.id}
          contacts={contacts}
          joint={foot}
          last={take.count - 1}
          rate={1 / take.interval}
          frameOf={frameOf}
          sampleOf={sampleOf}
          scale={scale}
          y={top + k * row}
          height={row}
          editable={lit}
        />
      ))}
      {lit && <RowNames names={feet} top={top} row={row} />}
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
