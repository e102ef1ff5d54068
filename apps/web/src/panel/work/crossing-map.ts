import type { Crossing, CrossingMap } from '@evlay/core/cross';

/** From far to near, dark to bright. */
const COLOURS = [
  [14, 27, 32],
  [29, 72, 82],
  [64, 134, 130],
  [255, 200, 87],
];

/** Where a crossing lies on the map, in parts of it: its frame of the lower performance to the right, that of the upper one down from the top. */
export const markPlace = ({ frames }: CrossingMap, { frame, other }: Crossing): [number, number] => {
  const [along, up] = [frame, other].map((value, k) => {
    const [first, last] = frames[k];
    return (value - first + 0.5) / (last - first + 1);
  });
  return [along, 1 - up];
};

/** Draws distances as far as they are known: what is near is bright. A pixel a number. */
export function drawMap(canvas: HTMLCanvasElement, { width, height, distances }: CrossingMap): void {
  canvas.width = width;
  canvas.height = height;
  const context = canvas.getContext('2d');
  if (!context) return;
  // A few thousand of them say how near and how far they are.
  const every = Math.max(1, Math.floor(distances.length / 4000));
  const known = distances.filter((distance, i) => i % every === 0 && Number.isFinite(distance)).sort();
  const [near, far] = [known[0] ?? 0, known[Math.floor(0.9 * known.length)] ?? 1];
  const image = context.createImageData(width, height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const distance = distances[x * height + height - 1 - y];
      const o = 4 * (y * width + x);
      const u = Number.isFinite(distance) ? 1 - Math.min(1, (distance - near) / (far - near || 1)) : -1;
      const spot = Math.max(0, u) ** 1.6 * (COLOURS.length - 1);
      const k = Math.min(COLOURS.length - 2, Math.floor(spot));
      for (let c = 0; c < 3; c++)
        image.data[o + c] =
          u < 0 ? COLOURS[0][c] * 0.7 : COLOURS[k][c] + (COLOURS[k + 1][c] - COLOURS[k][c]) * (spot - k);
      image.data[o + 3] = 255;
    }
  context.putImageData(image, 0, 0);
}
