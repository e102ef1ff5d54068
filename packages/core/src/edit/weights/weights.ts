import { type Curve, isCurve, type Key, newKey, type Scalar } from '../../curve/curve.js';
import { newId } from '../../id.js';
import { type CurveAddress, scalarAtAddress } from '../../layer/address.js';
import type { Layer } from '../../layer/layer.js';
import { ownerById, type Project } from '../../layer/project.js';
import { entryOf } from '../../record.js';
import { memberNames } from '../../rig/members.js';
import { partNames } from '../../rig/parts.js';
import { changeLayer } from '../change.js';
import { valueAt, type Written, writeScalars } from '../keys/curves.js';

const mapValues = (curve: Curve, map: (value: number) => number, slope: number): Curve => {
  const handle = (offset: Key['in']): Key['in'] => offset && [offset[0], slope * offset[1]];
  return {
    keys: curve.keys.map((key) => ({
      ...key,
      value: map(key.value),
      ...(key.in && { in: handle(key.in) }),
      ...(key.out && { out: handle(key.out) }),
    })),
  };
};

const clamped = (value: number): number => Math.min(1, Math.max(0, value));

/** One minus a weight, exactly at every frame. */
export const complement = (scalar: Scalar): Scalar =>
  isCurve(scalar) ? mapValues(scalar, (value) => 1 - clamped(value), -1) : 1 - clamped(scalar);

/** A weight times a number from 0 to 1, at every frame. */
export const scaled = (scalar: Scalar, factor: number): Scalar =>
  isCurve(scalar) ? mapValues(scalar, (value) => value * factor, factor) : scalar * factor;

/** What a joint counts by mask and factors of a layer; undefined where both are keyed and so have no product of few keys. */
export function jointCount(layer: Layer, part: string, joint: string): Scalar | undefined {
  const mask = layer.mask ? (entryOf(layer.mask, part) ?? 0) : 1;
  const factor = entryOf(layer.joints, joint) ?? 1;
  if (isCurve(mask)) return isCurve(factor) ? undefined : scaled(mask, clamped(factor));
  return scaled(factor, clamped(mask));
}

/** The joints of a layer whose part and factor are both keyed: what they count has no inverse that could be keyed. */
export const doublyKeyed = (project: Project, layer: Layer): string[] =>
  memberNames(project.rig).flatMap((name, j) =>
    jointCount(layer, project.parts[j], name) === undefined ? [name] : [],
  );

/**
 * Lets a layer count where it did not, and the other way round: part by part one minus its weight, joint by joint where
 * joints have weights of their own. The layer and its inverse sum to 1 everywhere. A project in which a joint of it is
 * {@link doublyKeyed} stays as it was.
 */
export function invertMask(project: Project, id: string): Project {
  return changeLayer(project, id, (layer) => {
    if (doublyKeyed(project, layer).length > 0) return layer;
    const mask: Record<string, Scalar> = {};
    const joints: Record<string, Scalar> = {};
    for (const part of partNames(project.parts)) {
      const own = memberNames(project.rig).filter((_, j) => project.parts[j] === part);
      const whole = layer.mask ? (entryOf(layer.mask, part) ?? 0) : 1;
      if (own.every((name) => (entryOf(layer.joints, name) ?? 1) === 1)) mask[part] = complement(whole);
      else {
        mask[part] = 1;
        for (const name of own) joints[name] = complement(jointCount(layer, part, name)!);
      }
    }
    return { ...layer, mask, joints: Object.keys(joints).length > 0 ? joints : undefined };
  });
}

/** Copies what stands at an address, with keys of their own, to others: the weight of a part to parts and layers. */
export function copyWeight(project: Project, from: CurveAddress, to: readonly CurveAddress[]): Project {
  const layer = ownerById(project, from.layer);
  const scalar = layer && scalarAtAddress(layer, from);
  if (scalar === undefined) return project;
  const copy = (): Scalar =>
    isCurve(scalar) ? { keys: scalar.keys.map((key) => ({ ...key, id: newId() })) } : scalar;
  return writeScalars(
    project,
    to.map((address): Written => [address, copy()]),
  );
}

/**
 * Fades what stands at an address in from nothing at a frame, or out to nothing: over so many frames, to or from the value
 * that it has there. Keys on the side where it now counts nothing are gone, those on the other side stay.
 */
export function fadeWeight(
  project: Project,
  address: CurveAddress,
  frame: number,
  frames: number,
  way: 'in' | 'out',
): Project {
  const layer = ownerById(project, address.layer);
  const scalar = layer && scalarAtAddress(layer, address);
  if (!layer || scalar === undefined || !(frames > 0)) return project;
  const keys = isCurve(scalar) ? scalar.keys : [];
  const full = frame + frames;
  const value = (at: number): number => valueAt(project, address, at) || 1;
  const curve: Curve =
    way === 'in'
      ? {
          keys: [newKey(frame, 0), newKey(full, value(full)), ...keys.filter((key) => key.frame > full)],
        }
      : {
          keys: [...keys.filter((key) => key.frame < frame), newKey(frame, value(frame)), newKey(full, 0)],
        };
  return writeScalars(project, [[address, curve]]);
}
