/** The largest rectangle of a ratio, width by height, in the middle of a view, in its pixels: what a camera films of it. */
export function filmFrame(width: number, height: number, ratio: number) {
  const wide = Math.min(width, height * ratio);
  const tall = Math.min(height, width / ratio);
  return { left: (width - wide) / 2, top: (height - tall) / 2, width: wide, height: tall };
}
