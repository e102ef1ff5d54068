import type { Page } from '@playwright/test';

/**
 * What is wrong with how a page is laid out, in words: text that is cut, numbers that wrap, controls that lie under something
 * else or outside the window. What can be scrolled to is not looked at; names that are cut say themselves in a tooltip.
 */
export const layoutFaults = (page: Page): Promise<string[]> =>
  page.evaluate(() => {
    const faults = new Set<string>();
    const shownIn = (element: Element): DOMRect | undefined => {
      const own = element.getBoundingClientRect();
      let [left, top, right, bottom] = [own.left, own.top, own.right, own.bottom];
      for (let at = element.parentElement; at; at = at.parentElement) {
        const { overflowX, overflowY } = getComputedStyle(at);
        const box = at.getBoundingClientRect();
        if (overflowX !== 'visible') [left, right] = [Math.max(left, box.left), Math.min(right, box.right)];
        if (overflowY !== 'visible') [top, bottom] = [Math.max(top, box.top), Math.min(bottom, box.bottom)];
      }
      return right - left > 1 && bottom - top > 1
        ? new DOMRect(left, top, right - left, bottom - top)
        : undefined;
    };
    /** Whether something around an element scrolls that way: what is out of sight there can be reached. */
    const scrolls = (element: Element, way: 'overflowX' | 'overflowY'): boolean => {
      for (let at: Element | null = element; at; at = at.parentElement)
        if (/auto|scroll/.test(getComputedStyle(at)[way])) return true;
      return false;
    };
    const wordsOf = (element: Element): string =>
      (element.getAttribute('aria-label') ?? element.textContent ?? '').trim().slice(0, 40);
    const visible = (element: Element): boolean =>
      element.checkVisibility({ opacityProperty: true, visibilityProperty: true }) &&
      !element.closest('[aria-hidden="true"], [inert]');

    const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    for (let node = texts.nextNode(); node; node = texts.nextNode()) {
      const text = node.textContent ?? '';
      const element = node.parentElement;
      if (!text.trim() || !element || !visible(element) || !shownIn(element)) continue;
      const range = document.createRange();
      for (const { index, 0: number } of text.matchAll(/[-+−]?\d[\d.,:]*/g)) {
        range.setStart(node, index);
        range.setEnd(node, index + number.length);
        if (new Set([...range.getClientRects()].map(({ top }) => Math.round(top))).size > 1)
          faults.add(`a number wraps: ${text.trim().slice(0, 60)}`);
      }
      range.selectNodeContents(node);
      const words = range.getBoundingClientRect();
      // The nearest box that cuts what it holds.
      for (let at: Element | null = element; at && at !== document.body; at = at.parentElement) {
        const { overflowX, textOverflow } = getComputedStyle(at);
        if (overflowX === 'visible') continue;
        const box = at.getBoundingClientRect();
        const cut = words.right > box.right + 1.5 || words.left < box.left - 1.5;
        if (!cut || scrolls(at, 'overflowX')) break;
        const told = textOverflow === 'ellipsis' && at.closest('[title], [aria-label], [aria-labelledby]');
        if (!told) faults.add(`cut: ${text.trim().slice(0, 60)}`);
        break;
      }
    }

    const controls =
      'button, a[href], input, select, textarea, [role="slider"], [role="spinbutton"], [role="tab"]';
    for (const element of document.querySelectorAll(controls)) {
      if (!visible(element)) continue;
      const own = element.getBoundingClientRect();
      if (own.width < 2 || own.height < 2) continue;
      const outside =
        (!scrolls(element, 'overflowX') && (own.right > innerWidth + 1 || own.left < -1)) ||
        (!scrolls(element, 'overflowY') && (own.bottom > innerHeight + 1 || own.top < -1));
      if (outside) faults.add(`outside the window: ${wordsOf(element)}`);
      const seen = shownIn(element);
      if (!seen || outside || seen.width < 8 || seen.height < 8) continue;
      if (seen.width < 0.75 * own.width && !scrolls(element, 'overflowX'))
        faults.add(`cut off: ${wordsOf(element)}`);
      if (element.closest('[data-part], svg')) continue;
      const hit = document.elementFromPoint(seen.left + seen.width / 2, seen.top + seen.height / 2);
      const covered = hit && !element.contains(hit) && !hit.contains(element) && !hit.closest('label');
      if (covered && !scrolls(element, 'overflowY'))
        faults.add(`${wordsOf(element)} lies under ${hit.tagName.toLowerCase()} ${wordsOf(hit)}`);
    }
    if (document.documentElement.scrollWidth > innerWidth) faults.add('the page scrolls sideways');
    return [...faults];
  });
