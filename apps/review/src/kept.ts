import type { Note } from '@evlay/core';

/** What a browser keeps of a review until it is sent back. */
export interface Kept {
  readonly by: string;
  readonly notes: readonly Note[];
  readonly weights: Readonly<Record<string, number>>;
}

const NOTHING: Kept = { by: '', notes: [], weights: {} };
const keyOf = (review: string): string => `evlay-review ${review}`;

/** What was kept before; nothing where the browser keeps nothing. */
export function readKept(review: string): Kept {
  try {
    return { ...NOTHING, ...(JSON.parse(localStorage.getItem(keyOf(review)) ?? '{}') as Partial<Kept>) };
  } catch {
    return NOTHING;
  }
}

/** Keeps it; false where the browser does not, and everything is gone with the page. */
export function keep(review: string, kept: Kept): boolean {
  try {
    localStorage.setItem(keyOf(review), JSON.stringify(kept));
    return true;
  } catch {
    return false;
  }
}
