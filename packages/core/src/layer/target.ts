import type { Scalar } from '../curve/curve.js';
import { newId } from '../id.js';
import type { Vector3 } from '../rig/rig.js';

export const PLACE_AXES = ['tx', 'ty', 'tz'] as const;
export const TURN_AXES = ['rx', 'ry', 'rz'] as const;
export const PATH_AXES = ['along'] as const;
export type PlaceAxis = (typeof PLACE_AXES)[number];
export type TurnAxis = (typeof TURN_AXES)[number];
/** What a number of a target is called within its field. */
export type TargetAxis = PlaceAxis | TurnAxis | (typeof PATH_AXES)[number];

/** Numbers or curves of a place, in units of the rig. */
export type TargetPlace = { readonly [A in PlaceAxis]: Scalar };
/** Angles in degrees, as `Ry · Rx · Rz`. */
export type TargetTurn = { readonly [A in TurnAxis]: Scalar };

/** A curve through the scene along which a joint goes. */
export interface TargetPath {
  /** Two at least, in the space of the target. */
  readonly points: readonly Vector3[];
  /** Whether the last joins the first. */
  readonly closed: boolean;
  /** Whether the joint turns to where the curve goes. */
  readonly heading: boolean;
  /** How far it has come, as a part of the length, from 0 to 1. */
  readonly along: Scalar;
}

/**
 * Where a joint has to be: the end of a limb, which follows, or another joint, which moves itself. An additive layer says
 * by how much it is moved and turned.
 */
export interface Target {
  readonly id: string;
  /** The joint, by name. */
  readonly joint: string;
  /** The joint, of the character or a prop, in whose space it is; the world where missing. */
  readonly space?: string;
  readonly at: TargetPlace;
  /** Keeps its orientation where missing. */
  readonly turn?: TargetTurn;
  /** Where the first inner joint of the limb (knee, elbow) points. */
  readonly toward?: TargetPlace;
  /** Where it is, in place of `at`, for a joint that is no limb's end. */
  readonly path?: TargetPath;
}

/** What of a target has numbers: where it is, how it is turned, where knee or elbow points, how far it is on its path. */
export const TARGET_FIELDS = ['at', 'turn', 'toward', 'path'] as const;
export type TargetField = (typeof TARGET_FIELDS)[number];

export const ZERO_PLACE: TargetPlace = { tx: 0, ty: 0, tz: 0 };
export const ZERO_TURN: TargetTurn = { rx: 0, ry: 0, rz: 0 };

/** The index of the first point of a path that coincides with the next; undefined where none does. */
export function coincidentIn(points: readonly Vector3[], closed: boolean): number | undefined {
  const at = points.findIndex((point, k) => {
    const next = points[k + 1] ?? (closed ? points[0] : undefined);
    return next !== undefined && Math.hypot(...point.map((value, axis) => next[axis] - value)) < 1e-9;
  });
  return at < 0 ? undefined : at;
}

export const newTarget = (joint: string, values: Partial<Target> = {}): Target => ({
  id: newId(),
  joint,
  at: ZERO_PLACE,
  ...values,
});

const AXES_OF: { readonly [F in TargetField]: readonly TargetAxis[] } = {
  at: PLACE_AXES,
  turn: TURN_AXES,
  toward: PLACE_AXES,
  path: PATH_AXES,
};

/** The axes that a field of a target has. */
export const axesOf = (field: TargetField): readonly TargetAxis[] => AXES_OF[field];

/** The numbers that a field of a target holds, by axis; none where it has not the field, or a path in place of `at`. */
const numbersOf = (target: Target, field: TargetField): Readonly<Record<string, Scalar>> | undefined =>
  field === 'at' && target.path ? undefined : (target[field] as Readonly<Record<string, Scalar>> | undefined);

/** A target with other numbers or curves. */
export function mapTarget(
  target: Target,
  map: (scalar: Scalar, axis: TargetAxis, field: TargetField) => Scalar,
): Target {
  const fields = TARGET_FIELDS.flatMap((field) => {
    const values = numbersOf(target, field);
    if (!values) return [];
    const mapped = axesOf(field).map((axis) => [axis, map(values[axis], axis, field)]);
    return [[field, { ...values, ...Object.fromEntries(mapped) }]];
  });
  return { ...target, ...Object.fromEntries(fields) };
}

/** Every number or curve that a target holds, with its field and axis. */
export function targetScalars(target: Target): { field: TargetField; axis: TargetAxis; scalar: Scalar }[] {
  return TARGET_FIELDS.flatMap((field) => {
    const values = numbersOf(target, field);
    return values ? axesOf(field).map((axis) => ({ field, axis, scalar: values[axis] })) : [];
  });
}
