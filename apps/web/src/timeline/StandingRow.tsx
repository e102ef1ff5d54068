import type { StandingSpan } from '@evlay/core';
import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from 'react';
import { type Command, perform } from '../commands/command.js';
import { useEditor, useFirst } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from './time-scale.js';

interface StandingRowProps<A> {
  /** What stands: a foot, a limb. */
  readonly name: string;
  /** In what spans are counted. */
  readonly unit: 'samples' | 'frames' | 'own frames';
  readonly spans: readonly StandingSpan[];
  /** First and last of what is counted. */
  readonly ends: readonly [number, number];
  /** Half the length of a span that a double click adds. */
  readonly added: number;
  /** Frame on the axis of what is counted, and the other way round. */
  readonly frameOf: (at: number) => number;
  readonly atOf: (frame: number) => number;
  /** What changes the spans, and what it is given. */
  readonly command: Command<A>;
  readonly to: (spans: readonly StandingSpan[]) => A;
  /** Puts spans in order and joins those that overlap. */
  readonly tidy: (spans: readonly StandingSpan[]) => readonly StandingSpan[];
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
  readonly color?: string;
  /** Whether spans can be changed; all of them if not said. */
  readonly editable?: boolean;
  /** Whether they are not up to date. */
  readonly faint?: boolean;
}

/** Pixels at an end of a span that move the end alone. */
const END = 6;

/** When something stands: spans to drag by their ends or as a whole; a double click beside them adds one. */
export function StandingRow<A>(props: StandingRowProps<A>) {
  // Samples of a take and a layer's own frames are counted from 0, frames as everywhere.
  const numbered = useFirst();
  const zero = props.unit === 'frames' ? numbered : 0;
  const { name, unit, spans, ends, added, frameOf, atOf, command, to, tidy, scale, y, height } = props;
  const { color = 'var(--evlay-colors-quiet)', editable = true, faint = false } = props;
  const [first, last] = ends;
  const editor = useEditor();
  const row = useRef<SVGGElement>(null);
  // Of spans that were moved by key the one that is to have the focus, once it is drawn.
  const focus = useRef<number>(undefined);
  const within = (at: number) => Math.min(last, Math.max(first, Math.round(at)));

  useEffect(() => {
    if (focus.current === undefined) return;
    row.current?.querySelectorAll<SVGGElement>('[data-contact]')[focus.current]?.focus();
    focus.current = undefined;
  });

  /** The spans with one changed, or taken out. */
  const put = (span: StandingSpan, changed: StandingSpan | undefined): readonly StandingSpan[] => {
    const others = spans.filter((one) => one !== span);
    return tidy(changed ? [...others, changed] : others);
  };

  const moved = ([from, till]: StandingSpan, by: number, what: 'from' | 'to' | 'all'): StandingSpan => {
    if (what === 'from') return [Math.min(till, within(from + by)), till];
    if (what === 'to') return [from, Math.max(from, within(till + by))];
    const held = Math.max(first - from, Math.min(last - till, Math.round(by)));
    return [from + held, till + held];
  };

  const grab = (event: PointerEvent<SVGGElement>, span: StandingSpan) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const box = event.currentTarget.getBoundingClientRect();
    const end = Math.min(END, box.width / 3);
    // A take that plays backwards has the first sample of a span at its right end.
    const forward = frameOf(1) > frameOf(0);
    const left = event.clientX < box.left + end;
    const right = event.clientX > box.right - end;
    const what = left || right ? (left === forward ? 'from' : 'to') : 'all';
    const perPixel = framesPerPixel(scale) / (frameOf(1) - frameOf(0));
    startDrag(editor, event, { command, to: (dx) => to(put(span, moved(span, dx * perPixel, what))) });
  };

  const onKey = (event: KeyboardEvent, span: StandingSpan) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const gone = event.key === 'Delete' || event.key === 'Backspace';
    if (by === undefined && !gone) return;
    event.preventDefault();
    event.stopPropagation();
    const what = event.shiftKey ? 'to' : event.altKey ? 'from' : 'all';
    const changed = by === undefined ? undefined : moved(span, by, what);
    const next = put(span, changed);
    const [from] = changed ?? span;
    const index = next.findIndex(([, till]) => till >= from);
    focus.current = index < 0 ? next.length - 1 : index;
    perform(editor, command, to(next));
  };

  const add = (event: React.MouseEvent<SVGRectElement>) => {
    event.stopPropagation();
    const left = event.currentTarget.getBoundingClientRect().left;
    const at = within(atOf(xToFrame(scale, event.clientX - left)));
    const around = Math.max(1, Math.round(added));
    perform(editor, command, to(tidy([...spans, [within(at - around), within(at + around)]])));
  };

  return (
    <g ref={row}>
      {editable && (
        // biome-ignore lint/a11y/noStaticElementInteractions: spans have the focus; adding one is a wish of the pointer
        <rect
          x={0}
          y={y}
          width={scale.width}
          height={height}
          fill="transparent"
          onDoubleClick={add}
          data-does={`Double click: ${name} stands here`}
        />
      )}
      {spans.map((span, k) => {
        const places = span.map((at) => frameToX(scale, frameOf(at)));
        const [a, b] = [Math.min(...places), Math.max(...places)];
        const round = (at: number) => Number((at + zero).toFixed(2));
        const label = `${name} stands, ${unit} ${round(span[0])} to ${round(span[1])}`;
        const bar = (
          <rect
            key={k}
            x={a}
            y={y + 1}
            width={Math.max(2, b - a)}
            height={height - 2}
            rx={2}
            fill={color}
            fillOpacity={faint ? 0.4 : 1}
          />
        );
        if (!editable) return bar;
        return (
          // biome-ignore lint/a11y/useSemanticElements: a part of a drawing
          <g
            key={k}
            tabIndex={0}
            role="button"
            aria-label={label}
            onKeyDown={(event) => onKey(event, span)}
            onPointerDown={(event) => grab(event, span)}
            onDoubleClick={(event) => event.stopPropagation()}
            style={{ cursor: 'ew-resize', touchAction: 'none' }}
            data-contact={name}
            data-does={`Drag the span in which ${name} stands, or its ends; Delete: take it out`}
          >
            <title>{`${label}: drag it or its ends, Delete takes it out, arrows move it, Shift and Alt its ends`}</title>
            {bar}
            <path
              d={`M${a + 1} ${y + 3} V${y + height - 3} M${b - 1} ${y + 3} V${y + height - 3}`}
              stroke="var(--evlay-colors-text)"
              strokeWidth={2}
            />
          </g>
        );
      })}
    </g>
  );
}
