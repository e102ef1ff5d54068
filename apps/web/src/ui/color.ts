/** Relative luminance of an sRGB colour (WCAG 2.2). */
function luminance(color: string): number {
  const [r, g, b] = [1, 3, 5].map((k) => {
    const c = Number.parseInt(color.slice(k, k + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

/** Dark or light text, whichever stands out more on a colour. */
export function readableOn(color: string): string {
  const l = luminance(color);
  return (l + 0.05) / 0.05 > 1.05 / (l + 0.05) ? '#0B1316' : '#FFFFFF';
}
