import { type PointerEvent, useCallback, useLayoutEffect, useRef } from 'react';

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

  const onPointerLeave = useCallback(() => {
    const element = list.current;
    pressed.current = undefined;
    if (!element || roomOf(element) === 0) return;
    const room = roomOf(element);
    element.style.paddingTop = '';
    element.scrollTop -= room;
  }, [list]);

  return { onPointerDownCapture, onPointerLeave };
}

const roomOf = (element: HTMLElement): number => Number.parseFloat(element.style.paddingTop) || 0;
