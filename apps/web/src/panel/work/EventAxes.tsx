import { Box, chakra } from '@chakra-ui/react';
import type { EventPair, MotionEvent } from '@evlay/core/kit';
import { useRef } from 'react';
import { useFirst } from '../../editor/context.js';
import { useWidth } from '../../ui/use-width.js';

interface AxisEvents {
  readonly range: readonly [number, number];
  readonly events: readonly MotionEvent[];
}

interface EventAxesProps {
  /** The events of the kit, and those of the take below; of the kit alone where missing. */
  readonly kit: AxisEvents;
  readonly take?: AxisEvents;
  readonly pairs?: readonly EventPair[];
  readonly lonely?: readonly MotionEvent[];
  /** Stretches of the kit's frames in which a layer that is pointed at has something. */
  readonly marked?: readonly (readonly [number, number])[];
}

const PAD = 8;
const HIGH = 74;

/** The shape of an event by its kind: a foot that comes down or leaves the floor, or a moment of its own. */
const shapeOf = (name: string): string =>
  name.endsWith(' down')
    ? 'M-4 -4L4 -4L0 3Z'
    : name.endsWith(' up')
      ? 'M-4 3L4 3L0 -4Z'
      : 'M0 -4L4 0L0 4L-4 0Z';

/** The row of an event: limbs of the left above, of the right below the axis. */
const rowOf = (name: string): number => (/^left/.test(name) ? -7 : /^right/.test(name) ? 7 : 0);

/** Events on time axes: those of a kit above those of a take, with lines between the ones that meet. */
export function EventAxes({ kit, take, pairs = [], lonely = [], marked = [] }: EventAxesProps) {
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box, 300);
  const first = useFirst();
  const xIn =
    ({ range: [a, b] }: AxisEvents) =>
    (frame: number) =>
      PAD + ((frame - a) / Math.max(1e-9, b - a)) * (width - 2 * PAD);
  const kitX = xIn(kit);
  const takeX = take && xIn(take);
  const [top, bottom] = [16, HIGH - 16];
  const alone = new Set(lonely.map(({ name, frame }) => `${name} ${frame}`));
  const met = new Set(pairs.map(({ name, take: frame }) => `${name} ${frame}`));
  const height = take ? HIGH : 34;
  const mark = (event: MotionEvent, x: number, y: number, off: boolean, from: number) => (
    <path
      key={`${event.name} ${event.frame} ${y}`}
      d={shapeOf(event.name)}
      transform={`translate(${x} ${y + rowOf(event.name)})`}
      fill={off ? 'var(--evlay-colors-alarm)' : 'var(--evlay-colors-text)'}
    >
      <title>{`${event.name} at ${Number((from + event.frame).toFixed(1))}${off ? ', meets none' : ''}`}</title>
    </path>
  );
  const said = take
    ? `${pairs.length} of ${kit.events.length} events of the kit meet one of the take${lonely.length > 0 ? `, ${lonely.length} meet none` : ''}`
    : `${kit.events.length} events`;
  return (
    <Box ref={box} width="100%">
      <chakra.svg
        width="100%"
        height={`${height}px`}
        role="img"
        aria-label={said}
        bg="ground"
        borderRadius="l1"
      >
        {marked.map(([from, to], k) => (
          <rect
            key={k}
            x={kitX(from) - 1}
            width={Math.max(2, kitX(to) - kitX(from) + 2)}
            y={top - 13}
            height={26}
            fill="var(--evlay-colors-raised)"
          />
        ))}
        <line x1={PAD} x2={width - PAD} y1={top} y2={top} stroke="var(--evlay-colors-line)" />
        {takeX && (
          <>
            <line x1={PAD} x2={width - PAD} y1={bottom} y2={bottom} stroke="var(--evlay-colors-line)" />
            {pairs.map((pair) => (
              <line
                key={`${pair.name} ${pair.kit}`}
                x1={kitX(pair.kit)}
                x2={takeX(pair.take)}
                y1={top + rowOf(pair.name)}
                y2={bottom + rowOf(pair.name)}
                stroke="var(--evlay-colors-lamp)"
                strokeOpacity={0.7}
              />
            ))}
            {take.events.map((event) => mark(event, takeX(event.frame), bottom, false, first))}
          </>
        )}
        {kit.events.map((event) =>
          mark(event, kitX(event.frame), top, alone.has(`${event.name} ${event.frame}`), take ? 0 : first),
        )}
        {takeX &&
          take.events
            .filter(
              (event) => !met.has(`${event.name} ${event.frame}`) && !['start', 'end'].includes(event.name),
            )
            .map((event) => (
              <circle
                key={`${event.name} ${event.frame}`}
                cx={takeX(event.frame)}
                cy={bottom + rowOf(event.name)}
                r={6}
                fill="none"
                stroke="var(--evlay-colors-line)"
              />
            ))}
      </chakra.svg>
    </Box>
  );
}
