import type { Side } from '../names.js';
import { positionsAtRest } from '../rest.js';
import { jointChildren, type Rig } from '../rig.js';
import type { BodyKinds } from './chains.js';
import type { Kind } from './words.js';

/**
 * What the joints of a rig are whose names say nothing. Chains that hang from the root and end low are legs; those that
 * leave the spine sideways are fore legs where they end low too, else arms, or, of a body that lies level, wings where it
 * has legs and fins where it has none. What goes on from there is neck and head; what leaves the root backwards
 * is a tail.
 */
export function kindsByShape(rig: Rig): BodyKinds {
  const n = rig.joints.length;
  const places = positionsAtRest(rig);
  const children = jointChildren(rig);
  const at = (j: number, axis: number) => places[3 * j + axis];
  const tips = tipsBelow(rig, places);
  const kinds: Kind[] = new Array(n).fill('other');
  const sides: Side[] = new Array(n).fill('');
  const [width, height, depth] = [0, 1, 2].map((axis) => {
    const along = rig.joints.map((_, j) => at(j, axis));
    return Math.max(...along) - Math.min(...along);
  });
  const size = Math.max(height, 0.5 * Math.max(width, depth));
  const fill = (j: number, kind: Kind) => kinds.fill(kind, j, tips[j].next);
  const limb = (j: number, upper: Kind, lower?: Kind) => {
    fill(j, upper);
    sides.fill(tips[j].across / tips[j].count - at(0, 0) >= 0 ? 'left' : 'right', j, tips[j].next);
    if (!lower) return;
    // The foot or hand starts at the last joint of the chain that has another behind it, or at the third.
    let end = j;
    for (let k = 0; children[end].length === 1 && (k < 2 || children[children[end][0]].length > 0); k++) {
      end = children[end][0];
    }
    if (end !== j) fill(end, lower);
  };
  const endsLow = (j: number) => tips[j].lowest < at(0, 1) - 0.25 * size;
  /** How far from the middle the chains from a joint on end, on average: a spine has as much on either side. */
  const aside = (j: number, from: number) => Math.abs(tips[j].across / tips[j].count - at(from, 0));
  const sideways = (j: number, from: number) =>
    aside(j, from) > 0.03 * size &&
    (endsLow(j) || Math.max(tips[j].right - at(from, 0), at(from, 0) - tips[j].left) > 0.12 * size);
  const level = depth > height;
  const leaves: number[] = [];
  const trunk: number[] = [];
  let legs = 0;
  kinds[0] = 'hips';
  for (const child of children[0]) {
    const { highest, along, count } = tips[child];
    const ahead = along / count - at(0, 2);
    if (endsLow(child) && aside(child, 0) > 0.02 * size && highest <= at(0, 1) + 0.1 * size) {
      limb(child, 'Leg', 'Foot');
      legs++;
    } else if (level && sideways(child, 0) && children[0].length > 1) leaves.push(child);
    else if (level ? ahead > 0 : highest > at(0, 1)) trunk.push(child);
    else if (ahead < -0.1 * size) fill(child, 'Tail');
  }
  while (trunk.length > 0) {
    const j = trunk.pop()!;
    kinds[j] = 'torso';
    const next = children[j];
    const out = next.filter((child) => next.length > 1 && sideways(child, j));
    const ups = next.filter((child) => !out.includes(child));
    leaves.push(...out);
    if (out.length === 0) trunk.push(...ups);
    else
      for (const up of ups) {
        fill(up, 'head');
        if (children[up].length > 0) kinds[up] = 'neck';
      }
  }
  const stands = legs > 0 || leaves.some((j) => endsLow(j));
  for (const j of leaves) {
    if (endsLow(j)) limb(j, 'Leg', 'Foot');
    else if (level) limb(j, stands ? 'Wing' : 'Fin');
    else limb(j, 'Arm', 'Hand');
  }
  return { kinds, sides };
}

/** What is known of the joints that end the chains from a joint on, at rest. */
interface Tips {
  count: number;
  /** Sums of their x and z. */
  across: number;
  along: number;
  left: number;
  right: number;
  lowest: number;
  highest: number;
  /** The joint behind the last of these chains: joints stand depth first. */
  next: number;
}

function tipsBelow(rig: Rig, places: Float64Array): Tips[] {
  const tips: Tips[] = [];
  for (let j = rig.joints.length - 1; j >= 0; j--) {
    // What hangs below stands behind it and has been there already.
    const [x, y, z] = places.subarray(3 * j, 3 * j + 3);
    tips[j] ??= {
      count: 1,
      across: x,
      along: z,
      left: x,
      right: x,
      lowest: y,
      highest: y,
      next: j + 1,
    };
    const { parent } = rig.joints[j];
    if (parent < 0) continue;
    const own = tips[j];
    const above = tips[parent];
    tips[parent] = above
      ? {
          count: above.count + own.count,
          across: above.across + own.across,
          along: above.along + own.along,
          left: Math.min(above.left, own.left),
          right: Math.max(above.right, own.right),
          lowest: Math.min(above.lowest, own.lowest),
          highest: Math.max(above.highest, own.highest),
          next: Math.max(above.next, own.next),
        }
      : { ...own };
  }
  return tips;
}
