import type { PointerEvent as ReactPointerEvent } from 'react';

/** What is done with a drag of the pointer. */
export interface PointerWork {
  /** The pointer has come so far since it was pressed, in pixels; the event has the modifier keys. */
  readonly move: (dx: number, dy: number, event: PointerEvent) => void;
  /** It was let go of: `kept` is false on Escape, and where the pointer was lost. */
  readonly end: (kept: boolean) => void;
  /** The same where it has not moved; nothing is heard of that where missing. */
  readonly endStill?: (kept: boolean) => void;
}

/** Calls back when what is dragged has to go back: on Escape, and where the window is left. Returns what ends that. */
export function whenLost(lost: () => void): () => void {
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== 'Escape') return;
    // It ends the drag and nothing else.
    event.stopPropagation();
    event.preventDefault();
    lost();
  };
  window.addEventListener('keydown', onKey, true);
  window.addEventListener('blur', lost);
  return () => {
    window.removeEventListener('keydown', onKey, true);
    window.removeEventListener('blur', lost);
  };
}

/** Pixels that a press may move and still be a click. */
export const CLICK = 3;

/**
 * Follows the pointer from a press until it is let go of, wherever it goes. Escape, another button and a pointer that
 * is lost end it as not kept; nothing is heard of a press that does not move. Returns what ends it from outside.
 */
export function followPointer(
  { clientX, clientY, pointerId }: Pick<ReactPointerEvent, 'clientX' | 'clientY' | 'pointerId'>,
  { move, end, endStill }: PointerWork,
): (kept: boolean) => void {
  let moved = false;
  let done = false;
  const stop = (kept: boolean) => {
    if (done) return;
    done = true;
    for (const [name, listener] of heard) window.removeEventListener(name, listener);
    unheard?.();
    if (moved) end(kept);
    else endStill?.(kept);
  };
  let unheard: (() => void) | undefined;
  const heard: [string, (event: Event) => void][] = [
    [
      'pointermove',
      (event) => {
        const next = event as PointerEvent;
        if (next.pointerId !== pointerId) return;
        // The button was let go of where the page did not see it.
        if (next.buttons === 0) return stop(false);
        const [dx, dy] = [next.clientX - clientX, next.clientY - clientY];
        if (!moved && Math.hypot(dx, dy) < CLICK) return;
        moved = true;
        unheard ??= whenLost(() => stop(false));
        move(dx, dy, next);
      },
    ],
    // A drag neither selects text nor drags what is selected away, which would take the pointer.
    ['selectstart', (event) => event.preventDefault()],
    ['dragstart', (event) => event.preventDefault()],
    ['pointerup', (event) => (event as PointerEvent).pointerId === pointerId && stop(true)],
    ['pointercancel', (event) => (event as PointerEvent).pointerId === pointerId && stop(false)],
  ];
  for (const [name, listener] of heard) window.addEventListener(name, listener);
  return stop;
}
