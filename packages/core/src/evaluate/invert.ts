import { angleBetween, multiply, multiplyByInverse } from '../math/quaternion.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';
import type { CompiledStack } from './compile.js';
import { applyLayers } from './evaluate.js';

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

  // What is above is exact in one step where it adds, and closes in by its own share where it replaces.
  const correction = [0, 0, 0, 1];
  let error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
  for (let step = 0; step < 400 && error > 1e-10; step++) {
    multiplyByInverse(correction, 0, [...rotation], 0, seen.rotations, 4 * j);
    multiply(start.rotations, 4 * j, correction, 0, start.rotations, 4 * j);
    show();
    error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
  }
  if (error > 1e-4) return undefined;

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

function clone(stack: CompiledStack, pose: Pose): Pose {
  const copy = restPose(stack.rig);
  copyPose(copy, pose);
  return copy;
}
