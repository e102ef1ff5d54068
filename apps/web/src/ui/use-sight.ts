import { type RefObject, useEffect, useState } from 'react';
import { flushSync } from 'react-dom';

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

/** Pixels around what is in sight in which things are there too, so that a quick scroll shows no gap. */
const AROUND = 160;

type Told = (inSight: boolean) => void;

/** What scrolls in an element: who is told when it comes into sight or goes, and of whom that is still to be told. */
interface Watcher {
  readonly observer: IntersectionObserver;
  readonly told: Map<Element, Told>;
  readonly waiting: Map<Element, boolean>;
}

const watchers = new WeakMap<Element, Watcher>();

/** Milliseconds of a frame in which things are made that come into sight. */
const A_FRAME = 4;

/** Tells one after the other, a few in each frame, so that scrolling goes on. What went again is not told of. */
function tell({ waiting, told }: Watcher): void {
  const end = performance.now() + A_FRAME;
  for (const [element, inSight] of waiting) {
    if (performance.now() > end) break;
    waiting.delete(element);
    const tells = told.get(element);
    if (tells) flushSync(() => tells(inSight));
  }
}

/** One observer for all that scrolls in an element. */
function watcherOf(scroller: Element): Watcher {
  const known = watchers.get(scroller);
  if (known) return known;
  const waiting = new Map<Element, boolean>();
  const told = new Map<Element, Told>();
  let asked = false;
  const next = () => {
    asked = waiting.size > 0;
    if (asked)
      requestAnimationFrame(() => {
        tell(watcher);
        next();
      });
  };
  const observer = new IntersectionObserver(
    (entries) => {
      for (const { target, isIntersecting } of entries) waiting.set(target, isIntersecting);
      if (!asked) next();
    },
    { root: scroller, rootMargin: `${AROUND}px 0px` },
  );
  const watcher: Watcher = { observer, told, waiting };
  watchers.set(scroller, watcher);
  return watcher;
}

/**
 * Whether an element is in sight of what scrolls around it, or near to that; and how high it was when it was seen last, so
 * that an empty one can keep its place.
 */
export function useInSight(element: RefObject<HTMLElement | null>): {
  seen: boolean;
  height: number | undefined;
} {
  const [sight, setSight] = useState<{ seen: boolean; height: number | undefined }>({
    seen: false,
    height: undefined,
  });
  useEffect(() => {
    const own = element.current;
    const scroller = own?.closest('[data-scrolls]');
    if (!own || !scroller) return;
    const { observer, told, waiting } = watcherOf(scroller);
    told.set(own, (seen) => {
      const height = seen ? undefined : own.offsetHeight;
      setSight((before) => (before.seen === seen ? before : { seen, height }));
    });
    observer.observe(own);
    return () => {
      observer.unobserve(own);
      told.delete(own);
      waiting.delete(own);
    };
  }, [element]);
  return sight;
}
