/** Bytes that a number takes at most: 21 digits before the point and 6 behind it, with its sign and what follows. */
export const NUMBER = 32;

/** The digits of the numbers up to 999 as text, three each. */
export const THREES = Uint8Array.from({ length: 3000 }, (_, i) => {
  const digits = String(Math.floor(i / 3)).padStart(3, '0');
  return digits.charCodeAt(i % 3);
});
