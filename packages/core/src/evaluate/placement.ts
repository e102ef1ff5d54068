import { type CompiledScalar, compileScalar, readScalar } from '../curve/evaluate.js';
import { PLACEMENT_CHANNELS, type Placement } from '../layer/layer.js';
import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import type { Numbers } from '../math/numbers.js';
import { multiply, rotate } from '../math/quaternion.js';
import { moveIn, moveOut, turnIn, turnOut } from '../rig/frame.js';
import { placeOfJoint } from '../rig/placed.js';
import type { Pose } from '../rig/pose.js';
import { type Frame, jointIndex, type Rig, type Vector3 } from '../rig/rig.js';

/** A placement ready for evaluation: `tx ty tz` in rig units, `rx ry rz` in radians. */
export interface CompiledPlacement {
  readonly pivot: Vector3;
  readonly values: readonly CompiledScalar[];
  /** The joint in whose space the performance is placed; undefined for where its character stands. */
  readonly space: number | undefined;
  /** Room for where that joint is and how it is turned, as below the layer. */
  readonly origin: Float64Array;
  readonly turn: Float64Array;
}

export function compilePlacement(placement: Placement, rig: Rig): CompiledPlacement {
  const space = placement.space === undefined ? -1 : jointIndex(rig, placement.space);
  return {
    pivot: placement.pivot,
    space: space < 0 ? undefined : space,
    origin: new Float64Array(3),
    turn: Float64Array.of(0, 0, 0, 1),
    values: PLACEMENT_CHANNELS.map((channel) =>
      compileScalar(placement[channel], channel.startsWith('r') ? RADIANS : 1),
    ),
  };
}

/** Move and angles of the placement at the frame that is evaluated, and the turn that the angles make. */
const values = new Float64Array(6);
const turn = new Float64Array(4);
const arm = new Float64Array(3);

/** Reads a placement at `frames[f]`: its turn is `Ry(ry) · Rx(rx) · Rz(rz)`. */
function readPlacement(placement: CompiledPlacement, frames: Numbers, f: number): void {
  for (let k = 0; k < 6; k++) readScalar(placement.values[k], frames, f, values, k);
  eulerToQuaternion(turn, 0, 'YXZ', values, 3);
}

/** Finds where the space of a placement is in a pose, which holds what is below the layer. */
export function findSpace({ space, origin, turn: own }: CompiledPlacement, rig: Rig, pose: Pose): void {
  if (space !== undefined) placeOfJoint(rig, pose, space, origin, own);
}

/**
 * Moves the content of a root as a rigid whole, in place, at `frames[f]`: `t' = pivot + (tx, ty, tz) + R·(t - pivot)` and
 * `q' = R·q`. In a space, which is found already, both are meant in that, lengths being those of the root's character, and become
 * local to the frame that it stands in.
 */
export function placeRoot(
  placement: CompiledPlacement,
  frames: Numbers,
  f: number,
  frame: Frame | undefined,
  translation: Float64Array,
  rotation: Float64Array,
): void {
  readPlacement(placement, frames, f);
  const { pivot } = placement;
  for (let axis = 0; axis < 3; axis++) arm[axis] = translation[axis] - pivot[axis];
  rotate(arm, 0, turn, 0, arm, 0);
  for (let axis = 0; axis < 3; axis++) translation[axis] = pivot[axis] + values[axis] + arm[axis];
  multiply(rotation, 0, turn, 0, rotation, 0);
  if (placement.space === undefined) return;
  const length = frame?.scale ?? 1;
  rotate(translation, 0, placement.turn, 0, translation, 0);
  for (let axis = 0; axis < 3; axis++)
    translation[axis] = placement.origin[axis] + length * translation[axis];
  multiply(rotation, 0, placement.turn, 0, rotation, 0);
  if (!frame) return;
  moveOut(frame, translation, 0);
  turnOut(frame, rotation, 0);
}

/** Finds, in place, the content of a root that {@link placeRoot} moves to a translation and a rotation. */
export function takeFromPlace(
  placement: CompiledPlacement,
  at: number,
  frame: Frame | undefined,
  translation: number[],
  rotation: number[],
): void {
  readPlacement(placement, [at], 0);
  const { pivot, space, origin, turn: own } = placement;
  if (space !== undefined) {
    if (frame) {
      moveIn(frame, translation, 0);
      turnIn(frame, rotation, 0);
    }
    for (let axis = 0; axis < 3; axis++) arm[axis] = (translation[axis] - origin[axis]) / (frame?.scale ?? 1);
    const out = [-own[0], -own[1], -own[2], own[3]];
    rotate(translation, 0, out, 0, arm, 0);
    multiply(rotation, 0, out, 0, rotation, 0);
  }
  const back = [-turn[0], -turn[1], -turn[2], turn[3]];
  for (let axis = 0; axis < 3; axis++) arm[axis] = translation[axis] - pivot[axis] - values[axis];
  rotate(arm, 0, back, 0, arm, 0);
  for (let axis = 0; axis < 3; axis++) translation[axis] = pivot[axis] + arm[axis];
  multiply(rotation, 0, back, 0, rotation, 0);
}
