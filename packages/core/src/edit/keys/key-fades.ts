import { type Curve, FRAME_TOLERANCE, type Key, newKey } from '../../curve/curve.js';
import type { KeyPick } from '../../layer/address.js';
import { layerById, type Project } from '../../layer/project.js';
import { changeLayer } from '../change.js';
import { type Written, writeScalars } from './curves.js';
import { curvesOf, framesOfEach } from './picked-keys.js';

const smooth = (u: number): number => u * u * (3 - 2 * u);

/**
 * A weight that is 1 at some frames, which ascend, comes to it over the `before` frames before each and goes over the
 * `after` frames behind it. Where one has not gone when the next comes, they meet where both are as strong.
 */
export function fadesAround(frames: readonly number[], before: number, after: number): Curve {
  const keys: Key[] = [];
  for (const [i, frame] of frames.entries()) {
    if (i === 0) {
      if (before > 0) keys.push(newKey(frame - before, 0, 'smooth'));
      else keys.push(newKey(frame - 2 * FRAME_TOLERANCE, 0, 'hold'));
    }
    const next = frames[i + 1];
    const apart = next === undefined ? Number.POSITIVE_INFINITY : next - frame;
    keys.push(newKey(frame, 1, 'smooth'));
    if (apart >= before + after) {
      if (after > 0) keys.push(newKey(frame + after, 0, 'smooth'));
      else keys.push(newKey(frame + 2 * FRAME_TOLERANCE, 0, 'hold'));
      if (next === undefined) continue;
      const starts = next - Math.max(before, 2 * FRAME_TOLERANCE);
      if (starts > frame + after + FRAME_TOLERANCE)
        keys.push(newKey(starts, 0, before > 0 ? 'smooth' : 'hold'));
    } else {
      const middle = frame + (after * apart) / (before + after);
      const u = Math.max(0, 1 - (middle - frame) / Math.max(after, FRAME_TOLERANCE));
      if (u < 1 && middle > frame && middle < next) keys.push(newKey(middle, smooth(u), 'smooth'));
    }
  }
  return { keys };
}

/**
 * Lets a layer count around picked keys of its channels alone: in the parts of their joints, over so many frames before and
 * behind each of them. Written as keys of the weights of those parts, in place of what they weighed.
 */
export function fadeAroundKeys(
  project: Project,
  id: string,
  picks: readonly KeyPick[],
  { before, after }: { readonly before: number; readonly after: number },
): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const byPart = new Map<string, Set<number>>();
  const curves = curvesOf(project, picks);
  for (const pick of picks) {
    const { address } = pick;
    if (address.kind !== 'channel' || address.layer !== id) continue;
    const j = project.rig.joints.findIndex(({ name }) => name === address.joint);
    if (j < 0) continue;
    const frames = byPart.get(project.parts[j]) ?? new Set<number>();
    for (const frame of framesOfEach(project, pick, curves)) frames.add(frame);
    byPart.set(project.parts[j], frames);
  }
  const entries = [...byPart].map(
    ([part, frames]): Written => [
      { kind: 'part', layer: id, part },
      fadesAround(
        [...frames].sort((a, b) => a - b),
        before,
        after,
      ),
    ],
  );
  // The parts say from now on when it counts: its span would cut them off.
  const open = changeLayer(project, id, (own) => ({ ...own, span: undefined }));
  return entries.length === 0 ? project : writeScalars(open, entries);
}
