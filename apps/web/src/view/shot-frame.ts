/** Where the second view lies in the view: in its lower right corner. */
export function shotFrame(width: number, height: number) {
  const wide = Math.round(0.36 * width);
  const high = Math.round(Math.min(0.45 * height, (wide * 9) / 16));
  return { left: width - wide - 12, top: height - high - 12, width: wide, height: high };
}
