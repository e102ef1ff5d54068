import { chakra } from '@chakra-ui/react';
import { type ReactNode, useCallback, useRef } from 'react';

/** A rectangle in pixels. */
export interface Rectangle {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/**
 * The box that is dragged over things to pick them: its element, to stand in what it is drawn over, and what shows it, by
 * pixels of that, or takes it away. It does not render.
 */
export function useBox(): readonly [ReactNode, (rectangle: Rectangle | undefined) => void] {
  const box = useRef<HTMLDivElement>(null);
  const show = useCallback((rectangle: Rectangle | undefined) => {
    const element = box.current;
    if (!element) return;
    element.hidden = rectangle === undefined;
    if (!rectangle) return;
    const { left, top, right, bottom } = rectangle;
    Object.assign(element.style, {
      left: `${left}px`,
      top: `${top}px`,
      width: `${right - left}px`,
      height: `${bottom - top}px`,
    });
  }, []);
  const element = (
    <chakra.div
      ref={box}
      hidden
      position="absolute"
      borderWidth="1px"
      borderColor="lamp"
      bg="lamp/15"
      pointerEvents="none"
      zIndex="3"
    />
  );
  return [element, show];
}
