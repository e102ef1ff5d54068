import type { Scalar } from '../../curve/curve.js';
import { type CompiledScalar, compileKnots, knotsOf, type Period, readScalar } from '../../curve/evaluate.js';
import { type CompiledPath, compilePath, headingAlong, placeOnPath } from '../../curve/path.js';
import type { Mode } from '../../layer/mode.js';
import { PLACE_AXES, type Target, type TargetPlace, type TargetTurn, TURN_AXES } from '../../layer/target.js';
import { targetRefusal } from '../../layer/target-refusal.js';
import type { OwnTime } from '../../layer/time.js';
import { eulerToQuaternion, RADIANS } from '../../math/euler.js';
import { multiply, multiplyByInverse, rotate, slerpBy } from '../../math/quaternion.js';
import { limbThatEnds } from '../../rig/compiled-limbs.js';
import { orientJoint, type Placed, placeBelow, putJoint } from '../../rig/placed.js';
import { type CompiledLimb, reachIn, turnTowardIn } from '../../rig/reach.js';
import { jointIndex, type Rig } from '../../rig/rig.js';
import { type Moment, OWN } from '../moment.js';

/** A target made ready: joints by their indices, curves to be read at the layer's own frame. */
export interface CompiledTarget {
  readonly joint: number;
  /** The limb whose end it is. */
  readonly limb: CompiledLimb | undefined;
  /** The joint in whose space it is; -1 for the world. */
  readonly space: number;
  readonly at: readonly CompiledScalar[];
  /** What it goes along in place of `at`, how far it has come, and whether it turns along. */
  readonly path:
    | { readonly curve: CompiledPath; readonly along: CompiledScalar; readonly heading: boolean }
    | undefined;
  /** In radians. */
  readonly turn: readonly CompiledScalar[] | undefined;
  readonly toward: readonly CompiledScalar[] | undefined;
  /** The joints by which it counts: for the orientation, and for place and direction. */
  readonly counts: readonly [number, number];
  /**
   * At the frame at which it counted last: where it wants the joint, 3 numbers, how far that is missed, and the `snap` of
   * the limb.
   */
  readonly found: Float64Array;
}

/** Puts joints where targets say. */
export interface TargetStep {
  readonly kind: 'targets';
  readonly targets: readonly CompiledTarget[];
}

/** Makes the targets of a layer ready; those that can be none are left out. */
export function targetStep(
  targets: readonly Target[],
  mode: Mode,
  rig: Rig,
  limbs: readonly CompiledLimb[],
  time: OwnTime,
): TargetStep {
  const period: Period | undefined = time.loop === 'none' ? undefined : time;
  const scalar = (value: Scalar, scale: number): CompiledScalar => {
    if (typeof value === 'number') return value * scale;
    const knots = knotsOf(value, period);
    // Keys outside the cycle are not used.
    return knots ? compileKnots(knots, scale) : 0;
  };
  const place = (values: TargetPlace) => PLACE_AXES.map((axis) => scalar(values[axis], 1));
  const turn = (values: TargetTurn) => TURN_AXES.map((axis) => scalar(values[axis], RADIANS));
  return {
    kind: 'targets',
    targets: targets.flatMap((target): CompiledTarget[] => {
      const joint = jointIndex(rig, target.joint);
      const space = target.space === undefined ? -1 : jointIndex(rig, target.space);
      if (joint < 0 || (target.space !== undefined && space < 0)) return [];
      if (targetRefusal(rig, limbs, target, mode)) return [];
      const limb = limbThatEnds(limbs, joint);
      return [
        {
          joint,
          limb,
          space,
          at: place(target.at),
          path: target.path && {
            curve: compilePath(target.path.points, target.path.closed),
            along: scalar(target.path.along, 1),
            heading: target.path.heading,
          },
          turn: target.turn && turn(target.turn),
          toward: target.toward && place(target.toward),
          counts: [joint, limb ? limb.chain[limb.chain.length - 2] : joint],
          found: new Float64Array(6),
        },
      ];
    }),
  };
}

/** The joints that targets turn: all of a limb, or the joint itself. */
export const jointsMoved = ({ targets }: TargetStep): number[] =>
  targets.flatMap(({ limb, joint }) => limb?.chain ?? [joint]);

const goal = new Float64Array(3);
const place = new Float64Array(3);
const angles = new Float64Array(3);
const turned = new Float64Array(4);
const kept = new Float64Array(4);
const spaceTurn = new Float64Array(4);
const origin = new Float64Array(3);
const factor = new Float64Array(1);
/** Where a path goes, and the turn to there. */
const ahead = new Float64Array(3);
const along = new Float64Array(4);

function readThree(from: readonly CompiledScalar[], moment: Moment, out: Float64Array): void {
  for (let axis = 0; axis < 3; axis++) readScalar(from[axis], moment, OWN, out, axis);
}

/** Writes a place in the space of a target as one in the scene. */
function intoScene(space: number, at: Float64Array): void {
  if (space < 0) return;
  rotate(at, 0, spaceTurn, 0, at, 0);
  for (let axis = 0; axis < 3; axis++) at[axis] += origin[axis];
}

function readSpace({ matrices, orientations }: Placed, space: number): void {
  if (space < 0) return;
  for (let c = 0; c < 4; c++) spaceTurn[c] = orientations[4 * space + c];
  for (let axis = 0; axis < 3; axis++) origin[axis] = matrices[16 * space + 12 + axis];
}

/**
 * Brings a joint where its target says. `placed` knows where all joints are and is kept so. `alphas` holds how much it
 * counts for the orientation and for the place. For an additive layer `axes` is the turn of its axes, missing for those of
 * the joint.
 */
export function reachTarget(
  placed: Placed,
  target: CompiledTarget,
  alphas: Float64Array,
  moment: Moment,
  additive: boolean,
  axes: Float64Array | undefined,
): void {
  const { joint, limb, space } = target;
  const { matrices, orientations } = placed;
  const o = 16 * joint + 12;
  for (let c = 0; c < 4; c++) kept[c] = orientations[4 * joint + c];
  if (target.path) {
    readScalar(target.path.along, moment, OWN, factor, 0);
    placeOnPath(target.path.curve, factor[0], place, ahead);
  } else readThree(target.at, moment, place);
  if (additive) {
    const a = axes ?? kept;
    rotate(place, 0, a, 0, place, 0);
    for (let axis = 0; axis < 3; axis++) goal[axis] = matrices[o + axis] + alphas[1] * place[axis];
  } else {
    readSpace(placed, space);
    intoScene(space, place);
    const alpha = alphas[1];
    for (let axis = 0; axis < 3; axis++) goal[axis] = (1 - alpha) * matrices[o + axis] + alpha * place[axis];
  }
  // The orientation comes of where the end was; it is given to the joint last.
  const turns = target.turn !== undefined || target.path?.heading === true;
  if (turns && alphas[0] > 0) {
    if (target.turn) readThree(target.turn, moment, angles);
    else angles.fill(0);
    if (additive) for (let axis = 0; axis < 3; axis++) angles[axis] *= alphas[0];
    eulerToQuaternion(turned, 0, 'YXZ', angles, 0);
    if (additive) {
      const a = axes ?? kept;
      multiply(turned, 0, a, 0, turned, 0);
      multiplyByInverse(turned, 0, turned, 0, a, 0);
      multiply(kept, 0, turned, 0, kept, 0);
    } else {
      if (target.path?.heading) {
        headingAlong(ahead, along);
        multiply(turned, 0, along, 0, turned, 0);
      }
      if (space >= 0) multiply(turned, 0, spaceTurn, 0, turned, 0);
      factor[0] = alphas[0];
      if (alphas[0] === 1) kept.set(turned);
      else slerpBy(kept, 0, kept, 0, turned, 0, factor, 0);
    }
  }
  const { found } = target;
  for (let axis = 0; axis < 3; axis++) found[axis] = goal[axis];
  found.fill(0, 3);
  if (alphas[1] > 0) {
    if (limb) found[3] = reachIn(placed, limb, goal, alphas[1]);
    else putJoint(placed, joint, goal);
    if (limb && target.toward) {
      readThree(target.toward, moment, place);
      intoScene(space, place);
      turnTowardIn(placed, limb, place, alphas[1]);
    }
    if (limb) for (let k = 0; k < 2; k++) found[4 + k] = limb.snap[k];
  }
  if ((turns && alphas[0] > 0) || !limb) orientJoint(placed, joint, kept);
  placeBelow(placed, joint);
}
