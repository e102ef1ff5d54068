/** Poses as drawings of bones: pairs of joints, and for each pose two numbers a joint, right and up, as parts of the height. */
export interface DrawnStrip {
  readonly bones: readonly number[];
  readonly poses: readonly (readonly number[])[];
}

/** Draws a pose of a strip: its root's place stands at `x`, the floor at `y`, and the height of the character is `size` pixels. */
export function drawPose(
  context: CanvasRenderingContext2D,
  { bones, poses }: DrawnStrip,
  k: number,
  x: number,
  y: number,
  size: number,
): void {
  const pose = poses[Math.max(0, Math.min(poses.length - 1, k))];
  if (!pose) return;
  context.beginPath();
  for (let b = 0; b < bones.length; b += 2) {
    const [i, j] = [bones[b], bones[b + 1]];
    context.moveTo(x + size * pose[2 * i], y - size * pose[2 * i + 1]);
    context.lineTo(x + size * pose[2 * j], y - size * pose[2 * j + 1]);
  }
  context.stroke();
}

/** Draws so many poses of a strip beside each other, from the first to the last. */
export function drawStrip(
  context: CanvasRenderingContext2D,
  strip: DrawnStrip,
  count: number,
  width: number,
  height: number,
): void {
  const lows = strip.poses.map((pose) => Math.min(...pose.filter((_, i) => i % 2 === 1)));
  const tops = strip.poses.map((pose) => Math.max(...pose.filter((_, i) => i % 2 === 1)));
  const low = Math.min(0, ...lows);
  const size = Math.min((height - 8) / Math.max(0.2, Math.max(...tops) - low), (1.1 * width) / count);
  for (let k = 0; k < count; k++) {
    const at = count === 1 ? 0.5 : k / (count - 1);
    const pose = Math.round(at * (strip.poses.length - 1));
    drawPose(context, strip, pose, ((k + 0.5) * width) / count, height - 4 + size * low, size);
  }
}

const [WIDTH, HEIGHT] = [144, 84];

/** A small picture of some poses of a strip in a colour, as a data URL; undefined where the page cannot draw. */
export function stripPicture(strip: DrawnStrip, color: string, ground: string): string | undefined {
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [2 * WIDTH, 2 * HEIGHT];
  const context = canvas.getContext('2d');
  if (!context) return undefined;
  context.scale(2, 2);
  context.fillStyle = ground;
  context.fillRect(0, 0, WIDTH, HEIGHT);
  context.strokeStyle = color;
  context.lineWidth = 1.6;
  context.lineCap = 'round';
  drawStrip(context, strip, 3, WIDTH, HEIGHT);
  return canvas.toDataURL('image/png');
}
