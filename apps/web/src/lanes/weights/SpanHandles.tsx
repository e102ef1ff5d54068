import type { Span } from '@evlay/core';
import type { PointerEvent } from 'react';
import { changeSpan } from '../../commands/stack/layer-values.js';
import { useEditor, useFirst, useProject } from '../../editor/context.js';
import { startDrag } from '../../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale } from '../../timeline/time-scale.js';

interface SpanHandlesProps {
  readonly layer: string;
  readonly span: Span | undefined;
  readonly scale: TimeScale;
  readonly height: number;
}

/**
 * The feet of a lane's shape (its span) and the tops of its slopes (its fades). A layer without a span has
 * faint feet at the ends of the range: pulling one makes a span.
 */
export function SpanHandles({ layer, span: set, scale, height }: SpanHandlesProps) {
  const editor = useEditor();
  const range = useProject((project) => project.range);
  const first = useFirst();
  const span = set ?? {};
  const start = span.start ?? range[0];
  const end = span.end ?? range[1];

  const grab = (event: PointerEvent, change: (frames: number) => Span) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    startDrag(editor, event, {
      command: changeSpan,
      to: (dx) => ({ layer, span: change(Math.round(dx * framesPerPixel(scale))) }),
    });
  };

  const foot = (frame: number, isSet: boolean, change: (frames: number) => Span, title: string) => (
    <g
      onPointerDown={(event) => grab(event, change)}
      data-does="Drag to set where the layer begins or ends to act"
      style={{ cursor: 'ew-resize' }}
      opacity={isSet ? 1 : 0.45}
    >
      <rect x={frameToX(scale, frame) - 5} width={10} height={height} fill="transparent" />
      <rect
        x={frameToX(scale, frame) - 1.5}
        y={2}
        width={3}
        height={height - 4}
        rx={1.5}
        fill="var(--evlay-colors-text)"
      />
      <title>{title}</title>
    </g>
  );
  const slope = (frame: number, change: (frames: number) => Span, title: string) => (
    <g
      onPointerDown={(event) => grab(event, change)}
      data-does="Drag to set over how many frames the layer comes or goes"
      style={{ cursor: 'ew-resize' }}
    >
      <rect x={frameToX(scale, frame) - 6} width={12} height={16} fill="transparent" />
      <circle cx={frameToX(scale, frame)} cy={6} r={3.5} fill="var(--evlay-colors-text)" />
      <title>{title}</title>
    </g>
  );

  return (
    <>
      {foot(
        start,
        span.start !== undefined,
        (by) => ({ start: Math.min(start + by, end) }),
        `span starts at ${first + start}`,
      )}
      {foot(
        end,
        span.end !== undefined,
        (by) => ({ end: Math.max(end + by, start) }),
        `span ends at ${first + end}`,
      )}
      {span.start !== undefined &&
        slope(
          start + (span.fadeIn ?? 0),
          (by) => ({ fadeIn: Math.min(Math.max(0, (span.fadeIn ?? 0) + by), end - start) }),
          `fades in over ${span.fadeIn ?? 0} frames`,
        )}
      {span.end !== undefined &&
        slope(
          end - (span.fadeOut ?? 0),
          (by) => ({ fadeOut: Math.min(Math.max(0, (span.fadeOut ?? 0) - by), end - start) }),
          `fades out over ${span.fadeOut ?? 0} frames`,
        )}
    </>
  );
}
