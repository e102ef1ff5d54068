import { useEffect, useState } from 'react';

/** The size of an element that holds others, in pixels; 0 until it is known. */
export function useSize(element: HTMLElement | null): { width: number; height: number } {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(([{ contentRect }]) =>
      setSize({ width: Math.floor(contentRect.width), height: Math.floor(contentRect.height) }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, [element]);
  return size;
}
