import type { CompiledStack } from '../evaluate/compiled.js';
import { spanCounts } from '../evaluate/contacts/contact-step.js';
import { alphaAt, applyLayers } from '../evaluate/evaluate.js';
import { contactStepOf, stepError, targetStepOf } from '../evaluate/steps/step.js';
import { angleBetween, multiply, multiplyByInverse, power } from '../math/quaternion.js';
import { isFace } from '../rig/members.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';

/** What is wanted of a joint: its local rotation (unit quaternion), translation or scale; or of a face channel its number. */
export interface WantedTransform {
  readonly rotation?: readonly number[];
  readonly translation?: readonly number[];
  readonly scale?: readonly number[];
  readonly m?: number;
}

/** What has to be there right after a layer, so that joints are seen where they are wanted, and what is below it. */
export interface Held {
  readonly below: Pose;
  readonly pose: Pose;
}

/** A rotation that is looked for. What is seen of it nears what is wanted round by round. */
interface Search {
  readonly j: number;
  readonly wanted: readonly number[];
  readonly tolerance: number;
  gain: number;
  error: number;
  best: number;
  idle: number;
}

/**
 * Solves for the local transforms that joints, and the numbers that face channels, must have after layer `index`, so that the whole stack shows them where
 * they are wanted; of what is left out the layer holds what it held. All are solved together, since a layer in axes of
 * the world turns a joint by what its parents have turned. Returns undefined where the layers above cover one of them so
 * far that nothing shows through.
 */
export function solveBeneath(
  stack: CompiledStack,
  frame: number,
  index: number,
  wanted: ReadonlyMap<number, WantedTransform>,
): Held | undefined {
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
  const joints = new Map([...wanted].filter(([member]) => !isFace(stack.rig, member)));
  return (joints.size === 0 || solveRotations(stack, frame, index, joints, start, seen, show)) &&
    solveStraight(straightOf(stack.rig, wanted), start, seen, show)
    ? { below, pose: start }
    : undefined;
}

/**
 * What is above is exact in one round where it adds. Where it replaces, only a part of a correction shows through: it is
 * made larger by as much, and smaller again if that was too much. It cannot come closer than the layers above can tell
 * apart.
 */
function solveRotations(
  stack: CompiledStack,
  frame: number,
  index: number,
  wanted: ReadonlyMap<number, WantedTransform>,
  start: Pose,
  seen: Pose,
  show: () => void,
): boolean {
  // Joints that targets or contacts above hold are left to them, unless nothing else is asked.
  if ([...wanted.keys()].every((j) => isHeldAbove(stack, frame, index, j))) return false;
  const searches: Search[] = [];
  for (const [j, { rotation }] of wanted) {
    if (isHeldAbove(stack, frame, index, j)) continue;
    const shows = shownThrough(stack, frame, index, j);
    if (shows < LEAST_SHOWN) return false;
    if (!rotation) continue;
    const error = angleBetween(seen.rotations, 4 * j, [...rotation], 0);
    const tolerance = toleranceAbove(stack, index, j);
    searches.push({ j, wanted: [...rotation], tolerance, gain: 1 / shows, error, best: error, idle: 0 });
  }
  const correction = [0, 0, 0, 1];
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const open = searches.filter(({ error, tolerance, idle }) => error > tolerance && idle < MOST_IDLE);
    if (open.length === 0) break;
    for (const { j, wanted: rotation, gain, error } of open) {
      multiplyByInverse(correction, 0, [...rotation], 0, seen.rotations, 4 * j);
      power(correction, 0, correction, 0, Math.min(gain, Math.max(1, Math.PI / error)));
      multiply(start.rotations, 4 * j, correction, 0, start.rotations, 4 * j);
    }
    show();
    for (const search of searches) {
      const before = search.error;
      search.error = angleBetween(seen.rotations, 4 * search.j, [...search.wanted], 0);
      if (!open.includes(search)) continue;
      if (search.error > 0.9 * before) search.gain = Math.max(1, search.gain / 2);
      search.idle = search.error < 0.99 * search.best ? 0 : search.idle + 1;
      search.best = Math.min(search.best, search.error);
    }
  }
  return searches.every(({ error }) => error <= COVERED);
}

/** A number of a pose of which a value is wanted. */
interface StraightNumber {
  readonly kind: 'translations' | 'scales' | 'faces';
  readonly slot: number;
  readonly value: number;
}

function straightOf(rig: Rig, wanted: ReadonlyMap<number, WantedTransform>): StraightNumber[] {
  const three = (kind: 'translations' | 'scales', j: number, values: readonly number[] | undefined) =>
    (values ?? []).map((value, axis): StraightNumber => ({ kind, slot: 3 * j + axis, value }));
  return [...wanted].flatMap(([j, { translation, scale, m }]) => [
    ...three('translations', j, translation),
    ...three('scales', j, scale),
    ...(m === undefined ? [] : [{ kind: 'faces' as const, slot: j - rig.joints.length, value: m }]),
  ]);
}

/** What is seen of a translation along an axis, of a scale or of a face channel is a straight line in what is beneath. */
function solveStraight(
  numbers: readonly StraightNumber[],
  start: Pose,
  seen: Pose,
  show: () => void,
): boolean {
  if (numbers.length === 0) return true;
  const first = numbers.map(({ kind, slot }) => seen[kind][slot]);
  const at = numbers.map(({ kind, slot }) => start[kind][slot]);
  for (const { kind, slot } of numbers) start[kind][slot] += 1;
  show();
  for (const [k, { kind, slot, value }] of numbers.entries()) {
    const gain = seen[kind][slot] - first[k];
    if (gain < 1e-3) return false;
    start[kind][slot] = at[k] + (value - first[k]) / gain;
  }
  return true;
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
    const { additive, corrects, touched, rotates } = stack.layers[above];
    const k = touched.indexOf(j);
    if (!additive && !corrects && k >= 0 && rotates[k] === 1) shows *= 1 - alphaAt(stack, above, j, frame);
  }
  return shows;
}

/** Whether a target or a contact above a layer holds a joint at a frame, whatever it does below. */
function isHeldAbove(stack: CompiledStack, frame: number, index: number, j: number): boolean {
  for (let above = index + 1; above < stack.layers.length; above++) {
    const { steps, slots, additive } = stack.layers[above];
    if (slots[j] < 0 || additive) continue;
    const alpha = alphaAt(stack, above, j, frame);
    const targets = targetStepOf(steps)?.targets ?? [];
    if (alpha > 1 - LEAST_SHOWN && targets.some(({ limb, joint }) => joint === j || limb?.chain.includes(j)))
      return true;
    const held = contactStepOf(steps)?.limbs.find(({ limb }) => limb.chain.includes(j));
    if (alpha > 0 && held?.spans.some((_, k) => spanCounts(held, k, frame) > 0)) return true;
  }
  return false;
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
