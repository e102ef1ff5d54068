/** Ratios of pictures that are usual, as width by height. */
export const FILM_RATIOS: readonly (readonly [name: string, ratio: number])[] = [
  ['16 : 9', 16 / 9],
  ['1.85 : 1', 1.85],
  ['2.39 : 1', 2.39],
  ['4 : 3', 4 / 3],
  ['1 : 1', 1],
  ['9 : 16', 9 / 16],
];
