import { type Contact, type Contacts, tidyContacts } from '@evlay/core/take';
import type { KeyboardEvent, PointerEvent } from 'react';
import { startDrag } from '../ui/drag.js';
import { framesPerPixel, frameToX, type TimeScale, xToFrame } from './time-scale.js';

interface ContactRowProps {
  readonly contacts: Contacts;
  readonly joint: string;
  /** Last sample of the take. */
  readonly last: number;
  /** Frame on the axis of a sample, and the other way round. */
  readonly frameOf: (sample: number) => number;
  readonly sampleOf: (frame: number) => number;
  readonly scale: TimeScale;
  readonly y: number;
  readonly height: number;
  /** Whether spans can be changed; all of them if not said. */
  readonly editable?: boolean;
  readonly onChange: (contacts: Contacts, drag: symbol) => void;
}

/** Pixels at an end of a span that move the end alone. */
const END = 6;

/** When one foot stands: spans to drag by their ends or as a whole; a double click beside them adds one. */
export function ContactRow(props: ContactRowProps) {
  const { contacts, joint, last, frameOf, sampleOf, scale, y, height, editable = true, onChange } = props;
  const within = (sample: number) => Math.min(last, Math.max(0, Math.round(sample)));

  const put = (before: Contacts, span: Contact, change: Partial<Contact> | undefined, drag: symbol) => {
    const others = before.spans.filter((one) => one !== span);
    const changed = change && { ...span, ...change };
    const kept = changed && changed.from <= changed.to ? [...others, changed] : others;
    onChange({ ...before, spans: tidyContacts(kept) }, drag);
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
    const what = event.clientX < box.left + end ? 'from' : event.clientX > box.right - end ? 'to' : 'all';
    const drag = Symbol('contact');
    const perPixel = framesPerPixel(scale) / (frameOf(1) - frameOf(0));
    startDrag(event, (dx) => put(contacts, span, moved(span, dx * perPixel, what), drag));
  };

  const onKey = (event: KeyboardEvent, span: Contact) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const gone = event.key === 'Delete' || event.key === 'Backspace';
    if (by === undefined && !gone) return;
    event.preventDefault();
    event.stopPropagation();
    const what = event.shiftKey ? 'to' : event.altKey ? 'from' : 'all';
    put(contacts, span, gone ? undefined : moved(span, by!, what), Symbol('contact key'));
  };

  const add = (event: React.MouseEvent<SVGRectElement>) => {
    event.stopPropagation();
    const left = event.currentTarget.getBoundingClientRect().left;
    const at = within(sampleOf(xToFrame(scale, event.clientX - left)));
    const around = Math.max(1, Math.round(0.1 / ((frameOf(1) - frameOf(0)) / 30)));
    const span = { joint, from: within(at - around), to: within(at + around) };
    onChange({ ...contacts, spans: tidyContacts([...contacts.spans, span]) }, Symbol('contact'));
  };

  return (
    <g>
      {editable && (
        // biome-ignore lint/a11y/noStaticElementInteractions: spans have the focus; adding one is a wish of the pointer
        <rect x={0} y={y} width={scale.width} height={height} fill="transparent" onDoubleClick={add} />
      )}
      {contacts.spans
        .filter((span) => span.joint === joint)
        .map((span) => {
          const ends = [span.from, span.to].map((sample) => frameToX(scale, frameOf(sample)));
          const [a, b] = [Math.min(...ends), Math.max(...ends)];
          const name = `${joint} stands, samples ${span.from} to ${span.to}`;
          const bar = (
            <rect
              key={`${span.from} ${span.to}`}
              x={a}
              y={y + 1}
              width={Math.max(2, b - a)}
              height={height - 2}
              rx={2}
              fill="var(--evlay-colors-quiet)"
            />
          );
          if (!editable) return bar;
          return (
            // biome-ignore lint/a11y/useSemanticElements: a part of a drawing
            <g
              key={`${span.from} ${span.to}`}
              tabIndex={0}
              role="button"
              aria-label={name}
              onKeyDown={(event) => onKey(event, span)}
              onPointerDown={(event) => grab(event, span)}
              onDoubleClick={(event) => event.stopPropagation()}
              style={{ cursor: 'ew-resize' }}
              data-contact={joint}
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
