import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt, applyLayers } from '../evaluate/evaluate.js';
import { stepError } from '../evaluate/step.js';
import { angleBetween, multiply, multiplyByInverse, power } from '../math/quaternion.js';
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

  // What is above is exact in one round where it adds. Where it replaces, only a part of a correction shows through: it
  // is made larger by as much, and smaller again if that was too much. It cannot come closer than the layers above can
  // tell apart.
  const tolerance = toleranceAbove(stack, index, j);
  const shows = shownThrough(stack, frame, index, j);
  if (shows < LEAST_SHOWN) return undefined;
  const correction = [0, 0, 0, 1];
  let gain = 1 / shows;
  let error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
  let best = error;
  for (let round = 0, idle = 0; error > tolerance && round < MOST_ROUNDS && idle < MOST_IDLE; round++) {
    multiplyByInverse(correction, 0, [...rotation], 0, seen.rotations, 4 * j);
    power(correction, 0, correction, 0, Math.min(gain, Math.max(1, Math.PI / error)));
    multiply(start.rotations, 4 * j, correction, 0, start.rotations, 4 * j);
    show();
    const before = error;
    error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
    if (error > 0.9 * before) gain = Math.max(1, gain / 2);
    idle = error < 0.99 * best ? 0 : idle + 1;
    best = Math.min(best, error);
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
/** Rounds after which it is given up, and rounds without getting nearer. */
const MOST_ROUNDS = 400;
const MOST_IDLE = 12;
/** Share of what is below that has to show through the layers above. */
const LEAST_SHOWN = 1e-3;
/** Radians that are left where the layers above cover the joint. */
const COVERED = 1e-4;

/** The share of a joint's rotation after layer `index` that shows through the layers above it. */
function shownThrough(stack: CompiledStack, frame: number, index: number, j: number): number {
  let shows = 1;
  for (let above = index + 1; above < stack.layers.length; above++) {
    const { additive, touched, rotates } = stack.layers[above];
    const k = touched.indexOf(j);
    if (!additive && k >= 0 && rotates[k] === 1) shows *= 1 - alphaAt(stack, above, j, frame);
  }
  return shows;
}

/** Radians that the steps of the layers above can tell apart in a joint's rotation. */
function toleranceAbove(stack: CompiledStack, index: number, j: number): number {
  let tolerance = EXACT;
  for (let above = index + 1; above < stack.layers.length; above++) {
    const { steps, touched, rotates } = stack.layers[above];
    const k = touched.indexOf(j);
    if (!stack.live[above] || k < 0 || rotates[k] === 0) continue;
    for (const step of steps) tolerance += stepError(step, stack.kernel !== undefined);
  }
  return tolerance;
}

function clone(stack: CompiledStack, pose: Pose): Pose {
  const copy = restPose(stack.rig);
  copyPose(copy, pose);
  return copy;
}
