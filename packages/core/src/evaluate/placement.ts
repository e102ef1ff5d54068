import { type CompiledScalar, compileScalar, readScalar } from '../curve/evaluate.js';
import { PLACEMENT_CHANNELS, type Placement } from '../layer/layer.js';
import { eulerToQuaternion, RADIANS } from '../math/euler.js';
import type { Numbers } from '../math/numbers.js';
import { multiply, rotate } from '../math/quaternion.js';
import type { Vector3 } from '../rig/rig.js';

/** A placement ready for evaluation: `tx ty tz` in rig units, `rx ry rz` in radians. */
export interface CompiledPlacement {
  readonly pivot: Vector3;
  readonly values: readonly CompiledScalar[];
}

export function compilePlacement(placement: Placement): CompiledPlacement {
  return {
    pivot: placement.pivot,
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

/**
 * Moves the root's content as a rigid whole, in place, at `frames[f]`: `t' = pivot + (tx, ty, tz) + R·(t - pivot)` and
 * `q' = R·q`.
 */
export function placeRoot(
  placement: CompiledPlacement,
  frames: Numbers,
  f: number,
  translation: Float64Array,
  rotation: Float64Array,
): void {
  readPlacement(placement, frames, f);
  const { pivot } = placement;
  for (let axis = 0; axis < 3; axis++) arm[axis] = translation[axis] - pivot[axis];
  rotate(arm, 0, turn, 0, arm, 0);
  for (let axis = 0; axis < 3; axis++) translation[axis] = pivot[axis] + values[axis] + arm[axis];
  multiply(rotation, 0, turn, 0, rotation, 0);
}

/** Finds, in place, the content of the root that {@link placeRoot} moves to a translation and a rotation. */
export function takeFromPlace(
  placement: CompiledPlacement,
  frame: number,
  translation: number[],
  rotation: number[],
): void {
  readPlacement(placement, [frame], 0);
  const { pivot } = placement;
  const back = [-turn[0], -turn[1], -turn[2], turn[3]];
  for (let axis = 0; axis < 3; axis++) arm[axis] = translation[axis] - pivot[axis] - values[axis];
  rotate(arm, 0, back, 0, arm, 0);
  for (let axis = 0; axis < 3; axis++) translation[axis] = pivot[axis] + arm[axis];
  multiply(rotation, 0, back, 0, rotation, 0);
}
