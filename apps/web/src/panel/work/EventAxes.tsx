import { Box, chakra } from '@chakra-ui/react';
import type { EventPair, MotionEvent } from '@evlay/core/kit';
import { type KeyboardEvent, type PointerEvent, useRef } from 'react';
import { useFirst } from '../../editor/context.js';
import { followPointer } from '../../gestures/pointer.js';
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
  /** Begins to correct events of the kit: gives what puts one on a frame, or takes it out. They cannot be corrected where missing. */
  readonly correct?: () => (event: MotionEvent, frame: number | undefined) => void;
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

const shown = (frame: number): number => Number(frame.toFixed(1));

/** Events on time axes: those of a kit above those of a take, with lines between the ones that meet. */
export function EventAxes({ kit, take, pairs = [], lonely = [], marked = [], correct }: EventAxesProps) {
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
      <title>{`${event.name} at ${shown(from + event.frame)}${off ? ', meets none' : ''}`}</title>
    </path>
  );
  /** An event of the kit that is dragged, moved by arrows and taken out. */
  const handle = (event: MotionEvent) => {
    const drawn = mark(
      event,
      kitX(event.frame),
      top,
      alone.has(`${event.name} ${event.frame}`),
      take ? 0 : first,
    );
    if (!correct || event.name === 'start' || event.name === 'end') return drawn;
    const perPixel = (kit.range[1] - kit.range[0]) / Math.max(1, width - 2 * PAD);
    const label = `${event.name} at ${shown((take ? 0 : first) + event.frame)}`;
    const grab = (press: PointerEvent<SVGGElement>) => {
      if (press.button !== 0) return;
      const put = correct();
      followPointer(press, {
        move: (dx) => put(event, event.frame + Math.round(dx * perPixel)),
        end: (kept) => kept || put(event, event.frame),
      });
    };
    const onKey = (press: KeyboardEvent) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[press.key];
      const gone = press.key === 'Delete' || press.key === 'Backspace';
      if (by === undefined && !gone) return;
      press.preventDefault();
      press.stopPropagation();
      correct()(event, by === undefined ? undefined : event.frame + by * (press.shiftKey ? 0.1 : 1));
    };
    return (
      // biome-ignore lint/a11y/useSemanticElements: a part of a drawing
      <g
        key={`${event.name} ${kit.events.filter(({ name }) => name === event.name).indexOf(event)}`}
        role="button"
        tabIndex={0}
        aria-label={label}
        onPointerDown={grab}
        onKeyDown={onKey}
        style={{ cursor: 'ew-resize', touchAction: 'none' }}
        data-does="Drag the event to where it is, or arrows, with Shift by a tenth; Delete: take it out"
      >
        <circle cx={kitX(event.frame)} cy={top + rowOf(event.name)} r={7} fill="transparent" />
        {drawn}
      </g>
    );
  };
  const said = take
    ? `${pairs.length} of ${kit.events.length} events of the kit meet one of the take${lonely.length > 0 ? `, ${lonely.length} meet none` : ''}`
    : `${kit.events.length} events`;
  return (
    <Box ref={box} width="100%">
      <chakra.svg
        width="100%"
        height={`${height}px`}
        role={correct ? 'group' : 'img'}
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
        {kit.events.map(handle)}
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
