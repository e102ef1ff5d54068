import { type PointerEvent, useCallback, useEffect, useLayoutEffect, useRef } from 'react';

/**
 * Keeps the row of a list that is pressed under the pointer when others above it open or close for that: the list scrolls,
 * and where it cannot scroll far enough it gets room at its top until the pointer leaves it. `changed` is what may have
 * changed their heights.
 */
export function useSteady(list: React.RefObject<HTMLElement | null>, changed: unknown) {
  const pressed = useRef<{ readonly row: Element; readonly top: number }>(undefined);

  const onPointerDownCapture = useCallback(
    (event: PointerEvent) => {
      const row = [...(list.current?.children ?? [])].find((child) => child.contains(event.target as Node));
      pressed.current = row && { row, top: row.getBoundingClientRect().top };
    },
    [list],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: it is looked again when these have changed
  useLayoutEffect(() => {
    const element = list.current;
    const press = pressed.current;
    pressed.current = undefined;
    if (!element || !press?.row.isConnected) return;
    const moved = press.row.getBoundingClientRect().top - press.top;
    const before = element.scrollTop;
    element.scrollTop = before + moved;
    const left = moved - (element.scrollTop - before);
    if (left < 0) element.style.paddingTop = `${roomOf(element) - left}px`;
  }, [list, changed]);

  // Heard of the window: of what is taken away under the pointer, as a name that was typed, nothing is left that it could leave.
  useEffect(() => {
    const letGo = ({ target }: globalThis.PointerEvent) => {
      const element = list.current;
      if (!element || element.contains(target as Node)) return;
      pressed.current = undefined;
      const room = roomOf(element);
      if (room === 0) return;
      element.style.paddingTop = '';
      element.scrollTop -= room;
    };
    window.addEventListener('pointermove', letGo);
    return () => window.removeEventListener('pointermove', letGo);
  }, [list]);

  return { onPointerDownCapture };
}

const roomOf = (element: HTMLElement): number => Number.parseFloat(element.style.paddingTop) || 0;
