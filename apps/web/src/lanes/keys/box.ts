import { type KeyPick, keyMarks, ownerById } from '@evlay/core';
import { createContext, type PointerEvent as ReactPointerEvent } from 'react';
import { boxKeys } from '../../commands/keys/keys.js';
import type { Editor } from '../../editor/editor.js';
import { startDrag } from '../../gestures/gesture.js';
import { type TimeScale, xToFrame } from '../../timeline/time-scale.js';
import type { Rectangle } from '../../ui/use-box.js';
import { framesOfStrip, keysOfStrip, type Strip, timeOfStrip } from './strip.js';

/** A strip of keys where it is on the screen. */
export interface PlacedStrip {
  readonly element: Element;
  readonly strip: Strip;
  /** Pixels at its lower edge that belong to another strip. */
  readonly inset?: number;
}

/** The strips that are on the screen, over all of which a box can be dragged. */
export interface Strips {
  /** Returns what takes it out again. */
  readonly add: (strip: PlacedStrip) => () => void;
  /** Begins to drag a box over keys. */
  readonly box: (press: ReactPointerEvent) => void;
}

export const StripsContext = createContext<Strips>({ add: () => () => undefined, box: () => undefined });

/** The keys of strips that lie in a rectangle. */
export function keysWithin(
  editor: Editor,
  strips: Iterable<PlacedStrip>,
  scale: TimeScale,
  box: Rectangle,
): KeyPick[] {
  const project = editor.history.project();
  const linked = editor.session.getState().limbLinked;
  const found = new Map<string, KeyPick>();
  for (const { element, strip, inset = 0 } of strips) {
    const place = element.getBoundingClientRect();
    if (place.bottom - inset < box.top || place.top > box.bottom) continue;
    const layer = ownerById(project, strip.layer);
    if (!layer) continue;
    const [from, to] = [box.left, box.right].map((x) => xToFrame(scale, x - place.left));
    const marks = keyMarks(timeOfStrip(project, layer, strip), framesOfStrip(layer, strip), from, to);
    const owns = new Set(marks.filter(({ frame }) => frame >= from && frame <= to).map(({ own }) => own));
    if (owns.size === 0) continue;
    for (const pick of keysOfStrip(project, strip, (own) => owns.has(own), linked)) {
      const name = JSON.stringify(pick.address);
      const before = found.get(name)?.keys ?? [];
      found.set(name, { ...pick, keys: [...new Set([...before, ...pick.keys])] });
    }
  }
  return [...found.values()];
}

/**
 * Drags a box over the strips, from a press of the pointer: the keys in it are picked, with Shift beside those that
 * were. `show` draws the box, and takes it away where there is none.
 */
export function dragBox(
  editor: Editor,
  press: ReactPointerEvent,
  strips: Iterable<PlacedStrip>,
  scale: TimeScale,
  show: (box: Rectangle | undefined) => void,
): void {
  const { clientX: x, clientY: y } = press;
  const before = press.shiftKey ? editor.session.getState().keys : [];
  startDrag(editor, press, {
    command: boxKeys,
    to(dx, dy) {
      const box = {
        left: Math.min(x, x + dx),
        right: Math.max(x, x + dx),
        top: Math.min(y, y + dy),
        bottom: Math.max(y, y + dy),
      };
      show(box);
      return { picks: keysWithin(editor, strips, scale, box), before };
    },
    ended: () => show(undefined),
  });
}
