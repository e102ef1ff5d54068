import { type RefObject, useEffect, useState } from 'react';

/** Rows above and below those in sight that are drawn too, so that a quick scroll shows no gap. */
const BESIDE = 6;

/** Which of many rows of one height are in sight of what scrolls around them: the first, and one past the last. */
export function useRowsInSight(
  list: RefObject<HTMLElement | null>,
  count: number,
  height: number,
): readonly [number, number] {
  const [sight, setSight] = useState<readonly [number, number]>([0, Math.min(count, 2 * BESIDE)]);
  useEffect(() => {
    const element = list.current;
    const scroller = element?.closest<HTMLElement>('[data-scrolls]');
    if (!element || !scroller) return;
    const look = () => {
      const [own, around] = [element, scroller].map((one) => one.getBoundingClientRect());
      const first = Math.max(0, Math.floor((around.top - own.top) / height) - BESIDE);
      const end = Math.min(count, Math.ceil((around.bottom - own.top) / height) + BESIDE);
      setSight((before) =>
        before[0] === first && before[1] === end ? before : [first, Math.max(first, end)],
      );
    };
    look();
    scroller.addEventListener('scroll', look, { passive: true });
    // What is opened or made taller elsewhere moves the rows too.
    const observer = new ResizeObserver(look);
    observer.observe(scroller);
    const observeAll = () => {
      for (const child of scroller.children) observer.observe(child);
      look();
    };
    observeAll();
    // A lane that comes or goes moves the others and changes none of their sizes.
    const changes = new MutationObserver(observeAll);
    changes.observe(scroller, { childList: true });
    return () => {
      changes.disconnect();
      scroller.removeEventListener('scroll', look);
      observer.disconnect();
    };
  }, [list, count, height]);
  return sight;
}
