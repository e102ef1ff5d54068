import { type RefObject, useEffect, useState } from 'react';

/** The width of an element in pixels, followed as it changes; `start` before it is known. */
export function useWidth(ref: RefObject<HTMLElement | null>, start: number): number {
  const [width, setWidth] = useState(start);
  useEffect(() => {
    if (!ref.current) return;
    const observer = new ResizeObserver(([entry]) => setWidth(Math.floor(entry.contentRect.width)));
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, [ref]);
  return width;
}
