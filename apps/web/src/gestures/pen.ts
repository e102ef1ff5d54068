import { createStore } from 'zustand/vanilla';
import { LONG_PRESS, STILL } from '../ui/use-long-press.js';

/** Modifier keys that a button can hold down for a hand without a keyboard. */
export const MODIFIERS = ['shiftKey', 'ctrlKey', 'altKey'] as const;
export type Modifier = (typeof MODIFIERS)[number];

/** What stands in for keys and the right button while a pen or a finger is used. There is one set of them, as of hands. */
export interface Pen {
  /** Whether a pen or a finger was used last. */
  readonly used: boolean;
  readonly held: readonly Modifier[];
  /** Whether the next press opens the menu of what is pressed. */
  readonly menu: boolean;
  /** Whether one finger beside the character moves the camera sideways, in place of turning it. */
  readonly moves: boolean;
}

const AT_REST: Pen = { used: false, held: [], menu: false, moves: false };
export const pen = createStore<Pen>(() => AT_REST);

/** An element whose presses are its own: the buttons that hold the modifiers. */
export const PEN_BUTTONS = 'data-pen-buttons';

/** Milliseconds within which a browser's own menu on a long press is the second for the same press. */
const SAME = 1000;

/**
 * Listens, before all others, to pens and fingers: presses carry the modifiers that are held by buttons, and a press that
 * is held still, or the next one where the menu is asked for, is a right click. Returns what ends that.
 */
export function listenToPen(): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let start: PointerEvent | undefined;
  let opened = Number.NEGATIVE_INFINITY;
  let swallow = false;

  const openMenu = ({ clientX, clientY, pointerId }: PointerEvent) => {
    const target = document.elementFromPoint(clientX, clientY);
    if (!target) return;
    // The drag that the press may have begun is none.
    target.dispatchEvent(new PointerEvent('pointercancel', { pointerId, bubbles: true }));
    opened = performance.now();
    swallow = true;
    target.dispatchEvent(
      new MouseEvent('contextmenu', { bubbles: true, cancelable: true, clientX, clientY, button: 2 }),
    );
  };
  const wait = () => clearTimeout(timer);
  /** What each event means; true where it goes no further. */
  const means: Record<string, (event: MouseEvent, own: boolean) => boolean> = {
    pointerdown(event, own) {
      const press = event as PointerEvent;
      const used = press.pointerType !== 'mouse';
      wait();
      swallow = false;
      if (used !== pen.getState().used) pen.setState(used ? { used } : AT_REST);
      if (!used || own) return false;
      const { menu } = pen.getState();
      if (menu) {
        pen.setState({ menu: false });
        openMenu(press);
      } else if (press.isPrimary) {
        start = press;
        timer = setTimeout(() => openMenu(press), LONG_PRESS);
      }
      return menu;
    },
    pointermove({ clientX, clientY }) {
      if (start && Math.hypot(clientX - start.clientX, clientY - start.clientY) > STILL) wait();
      return false;
    },
    pointerup() {
      wait();
      return false;
    },
    pointercancel() {
      wait();
      return false;
    },
    contextmenu() {
      wait();
      return performance.now() - opened < SAME;
    },
    click() {
      const ends = swallow;
      swallow = false;
      return ends;
    },
    dblclick: () => false,
  };
  const hear = (event: Event): void => {
    if (!(event instanceof MouseEvent) || !event.isTrusted) return;
    const own = event.target instanceof Element && event.target.closest(`[${PEN_BUTTONS}]`) !== null;
    if (means[event.type](event, own)) {
      event.preventDefault();
      event.stopImmediatePropagation();
    } else if (!own)
      for (const key of pen.getState().held) Object.defineProperty(event, key, { value: true });
  };

  const heard = Object.keys(means);
  for (const name of heard) window.addEventListener(name, hear, { capture: true });
  return () => {
    wait();
    for (const name of heard) window.removeEventListener(name, hear, { capture: true });
    pen.setState(AT_REST);
  };
}
