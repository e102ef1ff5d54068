import type { CompiledStack } from '../evaluate/compile.js';
import { applyLayers } from '../evaluate/evaluate.js';
import { stepError } from '../evaluate/step.js';
import { angleBetween, multiply, multiplyByInverse } from '../math/quaternion.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';

/** What a joint has to hold right after a layer, so that it is seen where it is wanted. */
export interface Wanted {
  readonly below: Pose;
  readonly rotation: number[];
  readonly translation: number[];
}

/**
 * Solves for the local rotation and translation that joint `j` must have after layer `index`, so that the
 * whole stack shows `rotation` and `translation` (either may be left out: then what is seen stays).
 * Returns undefined where the layers above cover the joint so far that nothing shows through.
 */
export function solveBeneath(
  stack: CompiledStack,
  frame: number,
  index: number,
  j: number,
  wanted: { rotation?: readonly number[]; translation?: readonly number[] },
): Wanted | undefined {
  const below = restPose(stack.rig);
  applyLayers(stack, frame, 0, index, below);
  const start = clone(stack, below);
  applyLayers(stack, frame, index, index + 1, start);
  const seen = clone(stack, below);
  const show = () => {
    copyPose(seen, start);
    applyLayers(stack, frame, index + 1, stack.layers.length, seen);
  };
  show();
  const rotation = wanted.rotation ?? [...seen.rotations.subarray(4 * j, 4 * j + 4)];
  const translation = wanted.translation ?? [...seen.translations.subarray(3 * j, 3 * j + 3)];

  // What is above is exact in one round where it adds, and closes in by its own share where it replaces. It cannot
  // come closer than the layers above can tell apart.
  const tolerance = toleranceAbove(stack, index, j);
  const correction = [0, 0, 0, 1];
  let error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
  for (let round = 0; round < MOST_ROUNDS && error > tolerance; round++) {
    multiplyByInverse(correction, 0, [...rotation], 0, seen.rotations, 4 * j);
    multiply(start.rotations, 4 * j, correction, 0, start.rotations, 4 * j);
    show();
    error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
  }
  if (error > COVERED) return undefined;

  // Along each axis what is seen is a straight line in what is beneath.
  const at = [...start.translations.subarray(3 * j, 3 * j + 3)];
  const first = [...seen.translations.subarray(3 * j, 3 * j + 3)];
  for (let axis = 0; axis < 3; axis++) start.translations[3 * j + axis] = at[axis] + 1;
  show();
  for (let axis = 0; axis < 3; axis++) {
    const gain = seen.translations[3 * j + axis] - first[axis];
    if (gain < 1e-3 && wanted.translation) return undefined;
    at[axis] += gain < 1e-3 ? 0 : (translation[axis] - first[axis]) / gain;
  }
  return { below, rotation: [...start.rotations.subarray(4 * j, 4 * j + 4)], translation: at };
}

/** Radians within which a rotation is found, where nothing above is less exact. */
const EXACT = 1e-10;
/** So many rounds close in through layers above that leave a hundredth of what is below. */
const MOST_ROUNDS = 400;
/** Radians that are left where the layers above cover the joint. */
const COVERED = 1e-4;

/** Radians that the steps of the layers above can tell apart in a joint's rotation. */
function toleranceAbove(stack: CompiledStack, index: number, j: number): number {
  let tolerance = EXACT;
  for (let above = index + 1; above < stack.layers.length; above++) {
    const { steps, touched, turns } = stack.layers[above];
    const k = touched.indexOf(j);
    if (!stack.live[above] || k < 0 || turns[k] === 0) continue;
    for (const step of steps) tolerance += stepError(step, stack.kernel !== undefined);
  }
  return tolerance;
}

function clone(stack: CompiledStack, pose: Pose): Pose {
  const copy = restPose(stack.rig);
  copyPose(copy, pose);
  return copy;
}
