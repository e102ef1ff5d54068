import { isCurve, type Scalar } from '../../curve/curve.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { memberNames } from '../../rig/members.js';
import { type Part, partNames } from '../../rig/parts.js';
import type { Rig } from '../../rig/rig.js';

/** Over how much of the body a border is spread: a number of joints, or a length in units of the rig. */
export type Softness = { readonly joints: number } | { readonly length: number };

/** The length of the bone from a joint's parent to it: in joints 1, or in units of the rig at rest. */
const boneLength = (rig: Rig, j: number, softness: Softness): number =>
  'joints' in softness ? 1 : Math.hypot(...rig.joints[j].translation);

/**
 * How far each joint is from the nearest border between joints that count and joints that do not, along the bones: from 0
 * upward where it counts, downward where it does not; infinite where there is none. The border lies in the middle of a
 * bone. With it comes the joint that counts and is nearest.
 */
export function bordersAway(
  rig: Rig,
  counts: readonly boolean[],
  softness: Softness,
): { distance: Float64Array; from: Int32Array } {
  const n = rig.joints.length;
  const distance = new Float64Array(n).fill(Number.POSITIVE_INFINITY);
  const from = new Int32Array(n).fill(-1);
  const near = (j: number, away: number, source: number) => {
    if (away >= distance[j]) return false;
    distance[j] = away;
    from[j] = source;
    return true;
  };
  for (let j = 0; j < n; j++) {
    const { parent } = rig.joints[j];
    if (parent < 0 || counts[j] === counts[parent]) continue;
    const half = boneLength(rig, j, softness) / 2;
    const inside = counts[j] ? j : parent;
    near(j, half, inside);
    near(parent, half, inside);
  }
  // Along a tree twice up and down reaches every joint: nothing comes round to it another way.
  for (let found = true; found; ) {
    found = false;
    for (let j = 0; j < n; j++) {
      const { parent } = rig.joints[j];
      if (parent < 0 || counts[j] !== counts[parent]) continue;
      const length = boneLength(rig, j, softness);
      if (near(j, distance[parent] + length, from[parent])) found = true;
      if (near(parent, distance[j] + length, from[j])) found = true;
    }
  }
  return { distance: distance.map((away, j) => (counts[j] ? away : -away)), from };
}

/** The share of a joint at a distance from a border that is `width` wide: smooth, a half on the border. */
export function rampAt(distance: number, width: number): number {
  if (!Number.isFinite(distance)) return distance > 0 ? 1 : 0;
  const u = width > 0 ? Math.min(1, Math.max(0, 0.5 + distance / width)) : distance > 0 ? 1 : 0;
  return u * u * (3 - 2 * u);
}

const numberOf = (scalar: Scalar | undefined): number | undefined =>
  scalar === undefined ? 1 : isCurve(scalar) ? undefined : scalar;

/** Parts that were opened only for a soft border: those of which most joints count less than half by factors of their own. */
function openedParts(project: Project, { joints }: Pick<Layer, 'joints'>): Part[] {
  if (!joints) return [];
  return partNames(project.parts).filter((part) => {
    const factors = memberNames(project.rig).flatMap((name, j) =>
      project.parts[j] === part ? (numberOf(entryOf(joints, name)) ?? []) : [],
    );
    // A half lies on the border: what counts has more, what does not has less.
    return factors.length > 0 && factors.reduce((sum, factor) => sum + factor, 0) < factors.length / 2;
  });
}

/**
 * The mask of a layer with hard borders: a part that was opened only for a soft border counts nothing again. The factors
 * of joints that are softened are gone; those that are keyed stay.
 */
export function hardened(project: Project, layer: Layer): Pick<Layer, 'mask' | 'joints'> {
  const { mask, joints } = layer;
  if (!mask || !joints) return { mask, joints };
  const hard: Record<string, Scalar> = { ...mask };
  for (const part of openedParts(project, layer)) hard[part] = 0;
  const keyed = Object.fromEntries(Object.entries(joints).filter(([, factor]) => isCurve(factor)));
  return { mask: hard, joints: Object.keys(keyed).length > 0 ? keyed : undefined };
}

/**
 * A layer whose parts were weighed anew, with its soft borders as they are: a part that was opened for one weighs what the
 * part beyond the border weighs now, keys and all, unless it was weighed anew itself.
 */
export function alongBorders(project: Project, before: Layer, after: Layer): Layer {
  const { mask } = after;
  if (!mask || !before.mask || mask === before.mask || !after.joints || after.joints !== before.joints)
    return after;
  const opened = openedParts(project, before).filter(
    (part) => entryOf(mask, part) === entryOf(before.mask, part),
  );
  if (opened.length === 0) return after;
  const { rig, parts } = project;
  // What lies beyond a soft border has factors of its own too, whatever it weighs now.
  const beyond = new Set(
    rig.joints.flatMap(({ name }, j) => (entryOf(after.joints, name) ? [parts[j]] : [])),
  );
  const { distance, from } = bordersAway(
    rig,
    rig.joints.map((_, j) => beyond.has(parts[j]) && !opened.includes(parts[j])),
    { joints: 1 },
  );
  const followed: Record<string, Scalar> = { ...mask };
  for (const part of opened) {
    const own = rig.joints.flatMap((_, j) => (parts[j] === part ? [j] : []));
    if (own.length === 0) continue;
    const nearest = own.reduce((a, b) => (distance[b] > distance[a] ? b : a));
    if (from[nearest] >= 0) followed[part] = entryOf(mask, parts[from[nearest]]) ?? 0;
  }
  return { ...after, mask: followed };
}
