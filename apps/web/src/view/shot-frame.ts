/** Where the second view lies in the view: in its lower right corner, or in its right half. */
export function shotFrame(width: number, height: number, halves: boolean) {
  if (halves) {
    const left = Math.round(width / 2);
    return { left, top: 0, width: width - left, height };
  }
  const wide = Math.round(0.36 * width);
  const high = Math.round(Math.min(0.45 * height, (wide * 9) / 16));
  return { left: width - wide - 12, top: height - high - 12, width: wide, height: high };
}
