import type { Crossing } from '@evlay/core/cross';
import type { CrossingMap } from '../jobs/crossings.js';

/** Pixels of the map of crossings, either way. */
export const MAP = 212;

/** From far to near, dark to bright. */
const COLOURS = [
  [14, 27, 32],
  [29, 72, 82],
  [64, 134, 130],
  [255, 200, 87],
];

/** Where a crossing lies on the map: its frame of the lower performance to the right, that of the upper one up. */
export const markPlace = ({ first, count }: CrossingMap, { frame, other }: Crossing): [number, number] => [
  ((frame - first[0] + 0.5) / count[0]) * MAP,
  MAP - ((other - first[1] + 0.5) / count[1]) * MAP,
];

/** Draws distances as far as they are known: what is near is bright. */
export function drawMap(canvas: HTMLCanvasElement, { count, distances }: CrossingMap): void {
  const context = canvas.getContext('2d');
  if (!context) return;
  const [width, height] = count;
  // A few thousand of them say how near and how far they are.
  const every = Math.max(1, Math.floor(distances.length / 4000));
  const known = distances.filter((distance, i) => i % every === 0 && Number.isFinite(distance)).sort();
  const [near, far] = [known[0] ?? 0, known[Math.floor(0.9 * known.length)] ?? 1];
  const image = context.createImageData(MAP, MAP);
  for (let y = 0; y < MAP; y++)
    for (let x = 0; x < MAP; x++) {
      const s = Math.floor((x / MAP) * width);
      const t = Math.floor(((MAP - 1 - y) / MAP) * height);
      const distance = distances[s * height + t];
      const o = 4 * (y * MAP + x);
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
