import { placedBelow } from '../../check/standing.js';
import { compileStack } from '../../evaluate/compile.js';
import { contactsOf } from '../../layer/content.js';
import type { StandingPoint, StandingSpan } from '../../layer/held-contacts.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { contactSpaceRefusal } from '../../layer/space-refusal.js';
import { quantile } from '../../math/quantile.js';
import { limbsOf } from '../../rig/limbs.js';
import { pointInWorld } from '../../rig/pose.js';
import { jointIndex } from '../../rig/rig.js';
import { changeContactsHeld } from './keep-contacts.js';
import { wayInto } from './spaces.js';

/** Why the limbs of a layer cannot stand on a joint, in words for people; undefined where they can. */
export function contactsOnRefusal(project: Project, id: string, space: string): string | undefined {
  const layer = layerById(project, id);
  const held = layer && contactsOf(layer);
  const limbs = limbsOf(project.rig, project.limbs);
  return held && contactSpaceRefusal(project.rig, limbs, space, Object.keys(held.limbs));
}

/** Of all heights of a point in a stance so many are below what it stands at. */
const LOW = 0.1;

/**
 * Lets the limbs of a layer stand on a prop or joint, or in the world again. How high its points stand is found anew there, by what is below
 * the layer.
 */
export function standOn(project: Project, id: string, space: string | undefined): Project {
  const index = layerIndex(project, id);
  const stack = compileStack(project);
  const on = space === undefined ? -1 : jointIndex(project.rig, space);
  const heights = (point: StandingPoint, [from, to]: StandingSpan): number => {
    const j = jointIndex(project.rig, point.joint);
    const offset = point.end === undefined ? [0, 0, 0] : project.rig.joints[j].ends[point.end];
    const found: number[] = [];
    for (let frame = Math.ceil(from); frame <= to; frame++) {
      const placed = placedBelow(stack, frame, index);
      found.push(wayInto(placed, on, pointInWorld(placed.matrices, j, offset))[1]);
    }
    return found.length === 0 ? point.floor : quantile(found, LOW);
  };
  return changeContactsHeld(project, id, ({ space: _, ...held }) => ({
    ...held,
    ...(space !== undefined && { space }),
    limbs: Object.fromEntries(
      Object.entries(held.limbs).map(([name, limb]) => [
        name,
        {
          ...limb,
          points: limb.points.map((point) => ({
            ...point,
            floor:
              limb.spans.length === 0
                ? point.floor
                : quantile(
                    limb.spans.map((span) => heights(point, span)),
                    0.5,
                  ),
          })),
        },
      ]),
    ),
  }));
}
