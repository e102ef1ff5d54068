/** Characters of a name that are looked at: what a joint is stands at its end. */
const LONGEST = 200;

/** The words of a joint's name, lower case, without what stands before a colon: `rig:LeftUpLeg` is left, up, leg. */
export function wordsOf(name: string): string[] {
  const bare = name.slice(name.lastIndexOf(':') + 1).slice(-LONGEST);
  return bare
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/([A-Z]+)([A-Z][a-z])/g, '$1 $2')
    .replace(/([A-Za-z])(\d)/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean);
}

/** The words by which it is told what a joint is: those of the bone that its file says, or of its name. */
export const wordsOfJoint = ({ name, bone }: { readonly name: string; readonly bone?: string }): string[] =>
  wordsOf(bone ?? name);

export type Side = '' | 'left' | 'right';

const LEFT = /^(l|left|lft)$/;
const RIGHT = /^(r|right|rgt)$/;

/** The side of the body that the words of a name say. */
export function sideOf(words: readonly string[]): Side {
  for (const word of words) {
    if (LEFT.test(word)) return 'left';
    if (RIGHT.test(word)) return 'right';
  }
  return '';
}

/** The words of a name without those for a side. */
export const withoutSide = (words: readonly string[]): string[] =>
  words.filter((word) => !LEFT.test(word) && !RIGHT.test(word));
