import type { Scalar } from '../../curve/curve.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { partNames } from '../../rig/parts.js';
import { changeLayer } from '../change.js';
import { bordersAway, hardened, rampAt, type Softness } from './borders.js';

/**
 * Spreads the borders between parts in which a layer counts and parts in which it does not over some of the body, half of
 * it on either side; 0 makes them hard again. It is written as weights of joints: a part on the other side is opened with
 * the weight of the part that it borders on, and its joints count less and less. Borders between two parts that both
 * count stay as they are. A joint whose weight is keyed keeps its keys.
 */
export function softenBorders(project: Project, id: string, softness: Softness): Project {
  const { rig, parts } = project;
  const width = 'joints' in softness ? softness.joints : softness.length;
  return changeLayer(project, id, (layer) => {
    const hard = hardened(project, layer);
    if (!hard.mask || width <= 0) return { ...layer, ...hard };
    const mask: Record<string, Scalar> = { ...hard.mask };
    const joints: Record<string, Scalar> = { ...hard.joints };
    const weight = (j: number): Scalar => entryOf(hard.mask, parts[j]) ?? 0;
    const counts = rig.joints.map((_, j) => weight(j) !== 0);
    const { distance, from } = bordersAway(rig, counts, softness);
    const ramp = Array.from(distance, (away) => rampAt(away, width));
    for (const part of partNames(parts)) {
      const own = rig.joints.flatMap((_, j) => (parts[j] === part ? [j] : []));
      if (own.every((j) => ramp[j] === (counts[j] ? 1 : 0))) continue;
      const nearest = own.reduce((a, b) => (ramp[b] > ramp[a] ? b : a));
      if (!counts[own[0]]) mask[part] = weight(from[nearest]);
      for (const j of own) if (ramp[j] !== 1) joints[rig.joints[j].name] ??= ramp[j];
    }
    return { ...layer, mask, joints: Object.keys(joints).length > 0 ? joints : undefined };
  });
}
