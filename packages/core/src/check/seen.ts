import type { CompiledStack } from '../evaluate/compiled.js';
import { alphaAt, evaluateStack } from '../evaluate/evaluate.js';
import { evaluateFrames } from '../evaluate/frames.js';
import { poseBlock } from '../evaluate/pose-block.js';
import { contactStepOf, targetStepOf } from '../evaluate/steps/step.js';
import { BLOCK } from '../evaluate/turn-kernel.js';
import { facesOf } from '../rig/members.js';
import { globalMatrices, type Pose, restPose } from '../rig/pose.js';
import type { CompiledLimb } from '../rig/reach.js';
import type { Rig } from '../rig/rig.js';

/** The motion that a stack shows at some frames, for joints that are looked at. */
export interface SeenMotion {
  readonly frames: ArrayLike<number>;
  /** For each joint of the rig its place among those that are looked at, or -1. */
  readonly slots: Int32Array;
  readonly width: number;
  /** Global transforms, 16 numbers for each joint that is looked at, frame by frame; local rotations likewise, 4 numbers. */
  readonly matrices: Float64Array;
  readonly rotations: Float64Array;
  /**
   * For each limb, frame by frame, 3 numbers: how far it misses what a target or a contact wants (not a number where none
   * does), and the `snap` of its reach.
   */
  readonly reaches: Float64Array;
  /** How many face channels there are, and the numbers of all of them, frame by frame. */
  readonly channels: number;
  readonly faces: Float64Array;
}

/** Looks at a stack at some frames; at all joints where none are named. */
export function seeMotion(
  stack: CompiledStack,
  limbs: readonly CompiledLimb[],
  frames: ArrayLike<number>,
  joints?: readonly number[],
): SeenMotion {
  const out = roomForMotion(stack, limbs, frames, joints);
  seeFrames(stack, limbs, out, 0, frames.length);
  return out;
}

/**
 * Room for what is seen of a stack at some frames, of all joints where none are named. That of a motion that is not looked at
 * any more is used again where it is large enough.
 */
export function roomForMotion(
  { rig }: CompiledStack,
  limbs: readonly CompiledLimb[],
  frames: ArrayLike<number>,
  joints?: readonly number[],
  before?: SeenMotion,
): SeenMotion {
  const n = rig.joints.length;
  const slots = new Int32Array(n).fill(-1);
  const looked = joints ?? Array.from({ length: n }, (_, j) => j);
  for (const [k, j] of looked.entries()) slots[j] = k;
  const width = looked.length;
  return {
    frames,
    slots,
    width,
    matrices: numbersIn(before?.matrices, 16 * width * frames.length),
    rotations: numbersIn(before?.rotations, 4 * width * frames.length),
    reaches: numbersIn(before?.reaches, 3 * limbs.length * frames.length).fill(Number.NaN),
    channels: facesOf(rig).length,
    faces: numbersIn(before?.faces, facesOf(rig).length * frames.length),
  };
}

/** Room for so many numbers, in the memory of others where that is large enough. */
const numbersIn = (before: Float64Array | undefined, length: number): Float64Array =>
  before && before.buffer.byteLength >= 8 * length
    ? new Float64Array(before.buffer, 0, length)
    : new Float64Array(length);

/** Looks at the frames with indices from `from` to `to` (not included). */
export function seeFrames(
  stack: CompiledStack,
  limbs: readonly CompiledLimb[],
  seen: SeenMotion,
  from: number,
  to: number,
): void {
  const globals = new Float64Array(16 * stack.rig.joints.length);
  if (!reachesAnywhere(stack)) {
    seeBlocks(stack, seen, from, to, globals);
    return;
  }
  const pose = restPose(stack.rig);
  for (let f = from; f < to; f++) {
    evaluateStack(stack, seen.frames[f], pose);
    keep(seen, f, stack.rig, pose, globals);
    readReaches(stack, limbs, seen.frames[f], seen.reaches, 3 * f * limbs.length);
  }
}

/** Whether any layer has something that limbs reach for. */
const reachesAnywhere = ({ layers, live }: CompiledStack): boolean =>
  layers.some(({ steps }, k) => live[k] && (targetStepOf(steps) || contactStepOf(steps)));

/** Looks at frames many at once, which costs less. */
function seeBlocks(
  stack: CompiledStack,
  seen: SeenMotion,
  from: number,
  to: number,
  globals: Float64Array,
): void {
  const block = poseBlock(stack.rig);
  const frames = new Float64Array(BLOCK);
  for (let first = from; first < to; first += BLOCK) {
    const count = Math.min(BLOCK, to - first);
    for (let i = 0; i < count; i++) frames[i] = seen.frames[first + i];
    evaluateFrames(stack, frames, count, block);
    for (let i = 0; i < count; i++) keep(seen, first + i, stack.rig, block.poses[i], globals);
  }
}

/** Keeps what is seen of a pose at the frame with an index. */
function keep(
  { slots, width, matrices, rotations, faces, channels }: SeenMotion,
  f: number,
  rig: Rig,
  pose: Pose,
  globals: Float64Array,
): void {
  globalMatrices(rig, pose, globals);
  faces.set(pose.faces, f * channels);
  for (let j = 0; j < slots.length; j++) {
    if (slots[j] < 0) continue;
    const to = f * width + slots[j];
    for (let c = 0; c < 16; c++) matrices[16 * to + c] = globals[16 * j + c];
    for (let c = 0; c < 4; c++) rotations[4 * to + c] = pose.rotations[4 * j + c];
  }
}

/** Writes how each limb reached for what it is asked for at the frame that was evaluated last: the uppermost layer counts. */
function readReaches(
  stack: CompiledStack,
  limbs: readonly CompiledLimb[],
  frame: number,
  out: Float64Array,
  o: number,
): void {
  for (let index = 0; index < stack.layers.length; index++) {
    if (!stack.live[index]) continue;
    const { steps } = stack.layers[index];
    for (const { limb, found, counts } of targetStepOf(steps)?.targets ?? []) {
      const l = limb ? limbs.indexOf(limb) : -1;
      if (l >= 0 && alphaAt(stack, index, counts[1], frame) > 0)
        for (let k = 0; k < 3; k++) out[o + 3 * l + k] = found[3 + k];
    }
    const cache = stack.contactCaches[index];
    for (const [k, { limb, counts }] of (contactStepOf(steps)?.limbs ?? []).entries()) {
      const l = limbs.indexOf(limb);
      if (l >= 0 && cache && cache.active[k] > 0 && alphaAt(stack, index, counts, frame) > 0)
        for (let c = 0; c < 3; c++) out[o + 3 * l + c] = cache.reached[3 * k + c];
    }
  }
}

/** Where the global transform of a joint begins, at the frame with an index. */
export const matrixAt = ({ slots, width }: SeenMotion, f: number, joint: number): number =>
  16 * (f * width + slots[joint]);

/** Where its local rotation begins. */
export const rotationAt = ({ slots, width }: SeenMotion, f: number, joint: number): number =>
  4 * (f * width + slots[joint]);
