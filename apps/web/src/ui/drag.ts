import type { PointerEvent as ReactPointerEvent } from 'react';

/** How far the pointer has come since it went down, in pixels, with the event for its modifier keys. */
export type DragMove = (dx: number, dy: number, event: PointerEvent) => void;

/**
 * Follows the pointer from a press until it is let go, wherever it goes. `end` is told whether it moved at all.
 */
export function startDrag(event: ReactPointerEvent, move: DragMove, end?: (moved: boolean) => void): void {
  const { clientX, clientY, pointerId } = event;
  let moved = false;
  const onMove = (next: PointerEvent) => {
    if (next.pointerId !== pointerId) return;
    const dx = next.clientX - clientX;
    const dy = next.clientY - clientY;
    if (!moved && Math.hypot(dx, dy) < 3) return;
    moved = true;
    move(dx, dy, next);
  };
  const onEnd = (next: PointerEvent) => {
    if (next.pointerId !== pointerId) return;
    window.removeEventListener('pointermove', onMove);
    window.removeEventListener('pointerup', onEnd);
    window.removeEventListener('pointercancel', onEnd);
    end?.(moved);
  };
  window.addEventListener('pointermove', onMove);
  window.addEventListener('pointerup', onEnd);
  window.addEventListener('pointercancel', onEnd);
}
