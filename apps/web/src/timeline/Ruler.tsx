import type { PointerEvent } from 'react';
import type { Command } from '../commands/command.js';
import { scrub, setPlayRange } from '../commands/view/transport.js';
import { useEditor } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, frameToX, rulerStep, type TimeScale, xToFrame } from './time-scale.js';

interface RulerProps<A> {
  readonly scale: TimeScale;
  readonly height: number;
  /** First and last frame of what is marked, and what is called so. */
  readonly ends: readonly [number, number];
  readonly what: string;
  /** Where frame 0 of what plays lies on the axis. */
  readonly origin?: number;
  /** Frames of what the axis counts, where that is something else than frames. */
  readonly perMark?: number;
  /** The number that is seen for frame 0. */
  readonly zero?: number;
  /** What dragging an end does, with both ends as they are then. */
  readonly command: Command<A>;
  readonly to: (ends: readonly [number, number]) => A;
  /** Whether a drag with Shift says which part of it is played. */
  readonly playsPart?: boolean;
}

/** A time axis: frames, a stretch with an end to drag on each side; pressing it moves the playhead. */
export function Ruler<A>({
  scale,
  height,
  ends,
  what,
  origin = 0,
  perMark = 1,
  zero = 0,
  command,
  to,
  playsPart = false,
}: RulerProps<A>) {
  const editor = useEditor();
  const [first, last] = ends;
  const counted: TimeScale = {
    ...scale,
    from: zero + scale.from / perMark,
    to: zero + scale.to / perMark,
  };
  const step = rulerStep(counted, 64);
  const small = rulerStep(counted, 12);
  const marks: number[] = [];
  for (let mark = Math.ceil(counted.from / small) * small; mark <= counted.to; mark += small)
    marks.push(mark);

  const grabAxis = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0) return;
    const left = event.currentTarget.getBoundingClientRect().left;
    const frameAt = (x: number) => xToFrame(scale, x - left) - origin;
    if (event.shiftKey && playsPart) {
      const from = frameAt(event.clientX);
      startDrag(editor, event, {
        command: setPlayRange,
        to: (_dx, _dy, move) => [from, frameAt(move.clientX)] as const,
      });
      return;
    }
    const to = (_dx: number, _dy: number, move: globalThis.PointerEvent) => frameAt(move.clientX);
    startDrag(editor, event, { command: scrub, atOnce: frameAt(event.clientX), to });
  };

  const grabEnd = (event: PointerEvent, which: 0 | 1) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    startDrag(editor, event, {
      command,
      to(dx) {
        const by = dx * framesPerPixel(scale);
        return to(which === 0 ? [Math.min(first + by, last), last] : [first, Math.max(last + by, first)]);
      },
    });
  };

  return (
    <svg
      width={scale.width}
      height={height}
      style={{ display: 'block', cursor: 'pointer', touchAction: 'none', flex: 'none' }}
      onPointerDown={grabAxis}
      aria-hidden="true"
      data-does="Press to go to a frame, drag to scrub; Ctrl and the wheel: zoom, Shift and the wheel: move along"
    >
      <rect
        x={frameToX(scale, first)}
        y={height - 4}
        width={Math.max(1, frameToX(scale, last) - frameToX(scale, first))}
        height={4}
        fill="var(--evlay-colors-line)"
      />
      {marks.map((mark) => {
        const x = frameToX(counted, mark);
        const named = Math.abs(mark / step - Math.round(mark / step)) < 1e-6;
        // The last name stands before its mark where it would be cut beside it.
        const fits = x + 4 + 7 * String(mark).length <= scale.width;
        return (
          <g key={mark}>
            <line
              x1={x}
              x2={x}
              y1={named ? height - 14 : height - 8}
              y2={height - 4}
              stroke="var(--evlay-colors-quiet)"
              strokeWidth={1}
            />
            {named && (
              <text
                x={fits ? x + 4 : x - 4}
                textAnchor={fits ? 'start' : 'end'}
                y={height - 8}
                fontSize={11}
                fill="var(--evlay-colors-quiet)"
                fontFamily="var(--evlay-fonts-mono)"
              >
                {mark}
              </text>
            )}
          </g>
        );
      })}
      {[first, last].map((frame, which) => (
        <g
          key={which === 0 ? 'first' : 'last'}
          style={{ cursor: 'ew-resize' }}
          onPointerDown={(event) => grabEnd(event, which as 0 | 1)}
          data-does={`Drag to set where the ${what} ${which === 0 ? 'starts' : 'ends'}`}
        >
          <rect x={frameToX(scale, frame) - 6} y={height - 12} width={12} height={12} fill="transparent" />
          <rect
            x={frameToX(scale, frame) - 2}
            y={height - 10}
            width={4}
            height={10}
            rx={2}
            fill="var(--evlay-colors-text)"
          />
          <title>
            {which === 0
              ? `${what} starts at ${zero + Math.round(frame / perMark)}`
              : `${what} ends at ${zero + Math.round(frame / perMark)}`}
          </title>
        </g>
      ))}
    </svg>
  );
}
