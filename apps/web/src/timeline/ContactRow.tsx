import { type Contact, type Contacts, tidyContacts } from '@evlay/core/take';
import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from 'react';
import { perform } from '../commands/command.js';
import { changeContacts } from '../commands/takes.js';
import { useEditor } from '../editor/context.js';
import { startDrag } from '../gestures/gesture.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from './time-scale.js';

interface ContactRowProps {
  /** Id of the take, and its contacts. */
  readonly take: string;
  readonly contacts: Contacts;
  readonly joint: string;
  /** Last sample of the take, and how many it has a second. */
  readonly last: number;
  readonly rate: number;
  /** Frame on the axis of a sample, and the other way round. */
  readonly frameOf: (sample: number) => number;
  readonly sampleOf: (frame: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
  /** Whether spans can be changed; all of them if not said. */
  readonly editable?: boolean;
}

/** Pixels at an end of a span that move the end alone. */
const END = 6;

/** Half the length in seconds of a span that a double click adds. */
const ADDED = 0.1;

/** When one foot stands: spans to drag by their ends or as a whole; a double click beside them adds one. */
export function ContactRow(props: ContactRowProps) {
  const { take, contacts, joint, last, rate, frameOf, sampleOf, scale, y, height, editable = true } = props;
  const editor = useEditor();
  const row = useRef<SVGGElement>(null);
  // Of spans that were moved by key the one that is to have the focus, once it is drawn.
  const focus = useRef<number>(undefined);
  const within = (sample: number) => Math.min(last, Math.max(0, Math.round(sample)));
  const own = contacts.spans.filter((span) => span.joint === joint);

  useEffect(() => {
    if (focus.current === undefined) return;
    row.current?.querySelectorAll<SVGGElement>('[data-contact]')[focus.current]?.focus();
    focus.current = undefined;
  });

  /** The contacts with one span changed, or taken out. */
  const put = (span: Contact, change: Partial<Contact> | undefined): Contacts => {
    const others = contacts.spans.filter((one) => one !== span);
    const changed = change && { ...span, ...change };
    return { ...contacts, spans: tidyContacts(changed ? [...others, changed] : others) };
  };

  const moved = (span: Contact, by: number, what: 'from' | 'to' | 'all'): Partial<Contact> => {
    if (what === 'from') return { from: Math.min(span.to, within(span.from + by)) };
    if (what === 'to') return { to: Math.max(span.from, within(span.to + by)) };
    const held = Math.max(-span.from, Math.min(last - span.to, Math.round(by)));
    return { from: span.from + held, to: span.to + held };
  };

  const grab = (event: PointerEvent<SVGGElement>, span: Contact) => {
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
    startDrag(editor, event, {
      command: changeContacts,
      to: (dx) => ({ take, contacts: put(span, moved(span, dx * perPixel, what)) }),
    });
  };

  const onKey = (event: KeyboardEvent, span: Contact) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const gone = event.key === 'Delete' || event.key === 'Backspace';
    if (by === undefined && !gone) return;
    event.preventDefault();
    event.stopPropagation();
    const what = event.shiftKey ? 'to' : event.altKey ? 'from' : 'all';
    const change = by === undefined ? undefined : moved(span, by, what);
    const next = put(span, change);
    const left = next.spans.filter((one) => one.joint === joint);
    const middle = change ? ({ ...span, ...change } as Contact).from : span.from;
    const index = left.findIndex((one) => one.to >= middle);
    focus.current = index < 0 ? left.length - 1 : index;
    perform(editor, changeContacts, { take, contacts: next });
  };

  const add = (event: React.MouseEvent<SVGRectElement>) => {
    event.stopPropagation();
    const left = event.currentTarget.getBoundingClientRect().left;
    const at = within(sampleOf(xToFrame(scale, event.clientX - left)));
    const around = Math.max(1, Math.round(ADDED * rate));
    const span = { joint, from: within(at - around), to: within(at + around) };
    const spans = tidyContacts([...contacts.spans, span]);
    perform(editor, changeContacts, { take, contacts: { ...contacts, spans } });
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
          data-does="Double click: the foot stands here"
        />
      )}
      {own.map((span, k) => {
        const ends = [span.from, span.to].map((sample) => frameToX(scale, frameOf(sample)));
        const [a, b] = [Math.min(...ends), Math.max(...ends)];
        const name = `${joint} stands, samples ${span.from} to ${span.to}`;
        const bar = (
          <rect
            key={k}
            x={a}
            y={y + 1}
            width={Math.max(2, b - a)}
            height={height - 2}
            rx={2}
            fill="var(--evlay-colors-quiet)"
            fillOpacity={contacts.pending ? 0.4 : 1}
          />
        );
        if (!editable) return bar;
        return (
          // biome-ignore lint/a11y/useSemanticElements: a part of a drawing
          <g
            key={k}
            tabIndex={0}
            role="button"
            aria-label={name}
            onKeyDown={(event) => onKey(event, span)}
            onPointerDown={(event) => grab(event, span)}
            onDoubleClick={(event) => event.stopPropagation()}
            style={{ cursor: 'ew-resize' }}
            data-contact={joint}
            data-does="Drag the span in which the foot stands, or its ends; Delete: take it out"
          >
            <title>{`${name}: drag it or its ends, Delete takes it out, arrows move it, Shift and Alt its ends`}</title>
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
