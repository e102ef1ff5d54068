import type { Scalar } from '../curve/curve.js';
import { newId } from '../id.js';

export const PLACE_AXES = ['tx', 'ty', 'tz'] as const;
export const TURN_AXES = ['rx', 'ry', 'rz'] as const;
export type PlaceAxis = (typeof PLACE_AXES)[number];
export type TurnAxis = (typeof TURN_AXES)[number];

/** Numbers or curves of a place, in units of the rig. */
export type TargetPlace = { readonly [A in PlaceAxis]: Scalar };
/** Angles in degrees, as `Ry · Rx · Rz`. */
export type TargetTurn = { readonly [A in TurnAxis]: Scalar };

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
}

/** What of a target has numbers: where it is, how it is turned, where knee or elbow points. */
export const TARGET_FIELDS = ['at', 'turn', 'toward'] as const;
export type TargetField = (typeof TARGET_FIELDS)[number];

export const ZERO_PLACE: TargetPlace = { tx: 0, ty: 0, tz: 0 };
export const ZERO_TURN: TargetTurn = { rx: 0, ry: 0, rz: 0 };

export const newTarget = (joint: string, values: Partial<Target> = {}): Target => ({
  id: newId(),
  joint,
  at: ZERO_PLACE,
  ...values,
});

/** The axes that a field of a target has. */
export const axesOf = (field: TargetField): readonly (PlaceAxis | TurnAxis)[] =>
  field === 'turn' ? TURN_AXES : PLACE_AXES;

/** A target with other numbers or curves. */
export function mapTarget(
  target: Target,
  map: (scalar: Scalar, axis: PlaceAxis | TurnAxis, field: TargetField) => Scalar,
): Target {
  const fields = TARGET_FIELDS.flatMap((field) => {
    const values = target[field] as Readonly<Record<string, Scalar>> | undefined;
    if (!values) return [];
    return [[field, Object.fromEntries(axesOf(field).map((axis) => [axis, map(values[axis], axis, field)]))]];
  });
  return { ...target, ...Object.fromEntries(fields) };
}

/** Every number or curve that a target holds, with its field and axis. */
export function targetScalars(
  target: Target,
): { field: TargetField; axis: PlaceAxis | TurnAxis; scalar: Scalar }[] {
  return TARGET_FIELDS.flatMap((field) => {
    const values = target[field] as Readonly<Record<string, Scalar>> | undefined;
    return values ? axesOf(field).map((axis) => ({ field, axis, scalar: values[axis] })) : [];
  });
}
