import { type PointerEvent, useEffect, useRef } from 'react';

/** Milliseconds that a button is held until it is a long press, and pixels that the pointer may move meanwhile. */
export const LONG_PRESS = 450;
export const STILL = 8;

/** Listeners for a button that does something else when it is held; the click that ends a long press is not heard. */
export function useLongPress(held: () => void) {
  const press = useRef<{ timer: ReturnType<typeof setTimeout>; x: number; y: number; long: boolean }>(
    undefined,
  );
  useEffect(() => () => clearTimeout(press.current?.timer), []);
  const letGo = () => clearTimeout(press.current?.timer);
  return {
    onPointerDown({ button, clientX: x, clientY: y }: PointerEvent) {
      letGo();
      if (button !== 0) return;
      const timer = setTimeout(() => {
        if (press.current) press.current.long = true;
        held();
      }, LONG_PRESS);
      press.current = { timer, x, y, long: false };
    },
    onPointerMove({ clientX, clientY }: PointerEvent) {
      const { x, y } = press.current ?? { x: clientX, y: clientY };
      if (Math.hypot(clientX - x, clientY - y) > STILL) letGo();
    },
    onPointerUp: letGo,
    onPointerLeave: letGo,
    onPointerCancel: letGo,
    onClickCapture(event: React.MouseEvent) {
      if (!press.current?.long) return;
      press.current.long = false;
      event.preventDefault();
      event.stopPropagation();
    },
  };
}
