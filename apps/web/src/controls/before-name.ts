import type { Before } from '../editor/compare-choices.js';

/** What is compared with, in a word or two. */
export function beforeName(before: Before): string {
  switch (before.kind) {
    case 'base':
      return 'the base';
    case 'opened':
      return 'as it was opened';
    case 'variant':
      return before.name ?? 'the layers as they are';
    case 'step':
      return before.back === 1 ? 'a step ago' : `${before.back} steps ago`;
  }
}
