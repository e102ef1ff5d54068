import { isCurve, type Scalar } from '../../curve/curve.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { partNames } from '../../rig/parts.js';
import type { Rig } from '../../rig/rig.js';
import { changeLayer } from '../change.js';

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
function bordersAway(
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
function rampAt(distance: number, width: number): number {
  if (!Number.isFinite(distance)) return distance > 0 ? 1 : 0;
  const u = width > 0 ? Math.min(1, Math.max(0, 0.5 + distance / width)) : distance > 0 ? 1 : 0;
  return u * u * (3 - 2 * u);
}

const numberOf = (scalar: Scalar | undefined): number | undefined =>
  scalar === undefined ? 1 : isCurve(scalar) ? undefined : scalar;

/**
 * The mask of a layer with hard borders: a part that was opened only for a soft border counts nothing again. The factors
 * of joints that are softened are gone; those that are keyed stay.
 */
export function hardened(project: Project, layer: Layer): Pick<Layer, 'mask' | 'joints'> {
  const { mask, joints } = layer;
  if (!mask || !joints) return { mask, joints };
  const hard: Record<string, Scalar> = { ...mask };
  for (const part of partNames(project.parts)) {
    const factors = project.rig.joints.flatMap(({ name }, j) =>
      project.parts[j] === part ? (numberOf(entryOf(joints, name)) ?? []) : [],
    );
    if (factors.length === 0) continue;
    // A half lies on the border: what counts has more, what does not has less.
    if (factors.reduce((sum, factor) => sum + factor, 0) < factors.length / 2) hard[part] = 0;
  }
  const keyed = Object.fromEntries(Object.entries(joints).filter(([, factor]) => isCurve(factor)));
  return { mask: hard, joints: Object.keys(keyed).length > 0 ? keyed : undefined };
}

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
