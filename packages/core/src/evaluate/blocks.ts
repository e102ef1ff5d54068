import { locateAll, readAll } from '../curve/many-frames.js';
import { readOwnFrame } from '../layer/time.js';
import { EULER_AXES, type EulerOrder } from '../math/euler.js';
import { copyPose, type Pose } from '../rig/pose.js';
import { addMove, blendChannelScales, overrideMove } from './blend-channels.js';
import { blendFace } from './blend-faces.js';
import type { CompiledLayer, CompiledStack } from './compiled.js';
import { noteSight } from './contacts/contact-cache.js';
import { readAlphas, readWeights } from './gate.js';
import { FRAME, newMoment, OWN, ROUND } from './moment.js';
import type { PoseBlock } from './pose-block.js';
import { ANGLES, type ChannelStep, MOVES, SCALES, SLOTS, TURNS, TURNS_PART } from './steps/channel-step.js';
import { channelStepOf } from './steps/step.js';
import { BLOCK, blendList, listTurn, type TurnKernel } from './turn-kernel.js';

/** Applies the layers with indices in `[from, to)` at one frame, to a pose that holds what is below them. */
export type ApplyRun = (frame: number, from: number, to: number, pose: Pose) => void;

/**
 * Evaluates the layers with indices in `[0, end)` at `count` frames, {@link BLOCK} at most, into a block of poses: of them
 * those alone that `only` has a 1 for, where it is given. Keyed layers are read and blended joint by joint for all frames
 * at once; runs of others go through `apply` frame by frame.
 */
export function applyInBlocks(
  stack: CompiledStack,
  frames: Float64Array,
  count: number,
  block: PoseBlock,
  end: number,
  apply: ApplyRun,
  only?: Uint8Array,
): void {
  const { poses, kernel } = block;
  const { layers, live, contactCaches } = stack;
  copyPose(block, block.rest);
  const plays = (index: number) => live[index] && (!only || only[index] === 1);
  // Contacts begin a run of their own, so that all that is below is known at every frame of the block.
  const holds = (index: number) => live[index] && contactCaches[index] !== undefined;
  let to = 0;
  for (let from = 0; from < end; from = to) {
    to = from + 1;
    if (kernel && goesInBlocks(layers[from])) {
      if (plays(from)) blendFrames(kernel, stack, layers[from], frames, count, poses);
      continue;
    }
    while (to < end && !holds(to) && !(kernel && goesInBlocks(layers[to]))) to++;
    if (holds(from) && !only)
      for (let i = 0; i < count; i++)
        if (Number.isInteger(frames[i])) noteSight(contactCaches[from]!, frames[i], poses[i]);
    for (let i = 0; i < count; i++) apply(frames[i], from, to, poses[i]);
  }
}

/**
 * Whether a layer holds curves alone, and what they do to a joint hangs neither on another joint nor on the angles of the
 * pose below.
 */
function goesInBlocks({ steps, additive, layer, placement, touched }: CompiledLayer): boolean {
  const [step] = steps;
  if (steps.length !== 1 || step.kind !== 'channels' || placement) return false;
  if (additive) return layer.axes === 'joint';
  for (let k = 0; k < touched.length; k++)
    if ((step.kinds[k] & TURNS_PART) !== 0 && (step.kinds[k] & TURNS) === 0) return false;
  return true;
}

// Room for one layer at the frames of a block. Evaluation runs to its end without a pause, so one of each is enough.
const weights = new Float64Array(BLOCK);
/** Own frame and round, and the own frames alone. */
const times = new Float64Array(2 * BLOCK);
const owns = new Float64Array(BLOCK);
const moment = newMoment();
/** For each range of joints that count alike a row: α at every frame. */
let alphas = new Float64Array(0);
/** For each grid a row: the segment of every frame, and how far into it that lies. */
let segments = new Int32Array(0);
let since = new Float64Array(0);

/** Blends a layer of curves into the poses of some frames, whose rotations lie in the kernel. */
function blendFrames(
  kernel: TurnKernel,
  stack: CompiledStack,
  compiled: CompiledLayer,
  frames: Float64Array,
  count: number,
  poses: readonly Pose[],
): void {
  const { ranges, touched, additive } = compiled;
  const step = channelStepOf(compiled.steps)!;
  if (compiled.alphas.length === 0 || !readGates(compiled, frames, count)) return;
  locateFrames(compiled, step, frames, count);
  // The curves of a joint follow one another.
  let curve = 0;
  for (let r = 0; r < ranges.length; r++) {
    for (let i = 0; i < BLOCK; i++) kernel.alphas[i] = i < count ? alphas[BLOCK * r + i] : 0;
    let listed = 0;
    for (let k = ranges[r].from; k < ranges[r].to; k++) {
      if (k >= touched.length) {
        blendFaces(kernel.alphas, compiled, step, k - touched.length, curve++, count, poses);
        continue;
      }
      const first = curve;
      while (curve < step.keyed.length && step.keyed[curve] < SLOTS * (k + 1)) curve++;
      if ((step.kinds[k] & TURNS_PART) !== 0) {
        const order = stack.orders[touched[k]];
        const at = listTurn(kernel, listed++, touched[k], order);
        readAngles(kernel.list, at, step, order, k, first, curve, count);
      }
      if ((step.kinds[k] & (MOVES | SCALES)) !== 0)
        blendRest(kernel.alphas, frames, compiled, step, k, first, curve, count, poses);
    }
    blendList(kernel, listed, additive);
  }
}

/** Reads α of every range at each frame; false where the layer counts at none. */
function readGates(compiled: CompiledLayer, frames: Float64Array, count: number): boolean {
  const { ranges, steady, scalars } = compiled;
  if (alphas.length < BLOCK * ranges.length) alphas = new Float64Array(BLOCK * ranges.length);
  if (!steady) readWeights(compiled, frames, count, weights);
  let any = false;
  for (let i = 0; i < count; i++) {
    // Without masks the weight is α of all.
    const plain = !steady && scalars.length === 0;
    if (!steady && !plain) readAlphas(compiled, weights, i, frames, i);
    for (let r = 0; r < ranges.length; r++) {
      const alpha = plain ? weights[i] : compiled.alphas[ranges[r].from];
      alphas[BLOCK * r + i] = alpha;
      any ||= alpha > 0;
    }
  }
  return any;
}

/** Finds the layer's own frame at each frame, and its segment on every grid of keys. */
function locateFrames(
  { time }: CompiledLayer,
  { grids }: ChannelStep,
  frames: Float64Array,
  count: number,
): void {
  if (segments.length < BLOCK * grids.length) {
    segments = new Int32Array(BLOCK * grids.length);
    since = new Float64Array(BLOCK * grids.length);
  }
  for (let i = 0; i < count; i++) {
    readOwnFrame(time, frames, i, times, 2 * i);
    owns[i] = times[2 * i];
  }
  for (let g = 0; g < grids.length; g++) locateAll(grids[g], owns, count, segments, since, BLOCK * g);
}

/**
 * Reads the angles of the `k`-th touched joint to three rows from `at` on. Its curves are those from `first` up to, and not
 * with, `end`.
 */
function readAngles(
  out: Float64Array,
  at: number,
  step: ChannelStep,
  order: EulerOrder,
  k: number,
  first: number,
  end: number,
  count: number,
): void {
  const { keyed, gridOf, grids } = step;
  // Axes that are not keyed do not turn.
  if ((step.kinds[k] & TURNS) === 0) out.fill(0, at, at + 3 * BLOCK);
  const axes = EULER_AXES[order];
  for (let c = first; c < end; c++) {
    const axis = keyed[c] - SLOTS * k - ANGLES;
    if (axis < 0 || axis > 2) continue;
    const place = axis === axes[0] ? 0 : axis === axes[1] ? 1 : 2;
    const g = gridOf[c];
    readAll(step, step.first[c], grids[g], segments, since, BLOCK * g, count, out, at + BLOCK * place);
  }
}

/** Blends the `i`-th touched face channel, whose curve is `c`, after its α was written for each frame. */
function blendFaces(
  frameAlphas: Float64Array,
  compiled: CompiledLayer,
  step: ChannelStep,
  i: number,
  c: number,
  count: number,
  poses: readonly Pose[],
): void {
  const g = step.gridOf[c];
  const { values, firstFace } = step;
  for (let at = 0; at < count; at++) {
    if (!(frameAlphas[at] > 0)) continue;
    readAll(step, step.first[c], step.grids[g], segments, since, BLOCK * g + at, 1, values, firstFace + i);
    compiled.alphas[compiled.touched.length + i] = frameAlphas[at];
    blendFace(compiled, i, values, firstFace + i, poses[at]);
  }
}

/** Blends translation and scale of the `k`-th touched joint, frame by frame. */
function blendRest(
  alphas: Float64Array,
  frames: Float64Array,
  compiled: CompiledLayer,
  step: ChannelStep,
  k: number,
  first: number,
  end: number,
  count: number,
  poses: readonly Pose[],
): void {
  const { keyed, gridOf, grids } = step;
  for (let i = 0; i < count; i++) {
    if (!(alphas[i] > 0)) continue;
    for (let c = first; c < end; c++) {
      const g = gridOf[c];
      readAll(step, step.first[c], grids[g], segments, since, BLOCK * g + i, 1, step.values, keyed[c]);
    }
    moment[FRAME] = frames[i];
    moment[OWN] = times[2 * i];
    moment[ROUND] = compiled.time.loop === 'travel' ? times[2 * i + 1] : 0;
    compiled.alphas[k] = alphas[i];
    if ((step.kinds[k] & MOVES) !== 0)
      if (compiled.additive) addMove(compiled, step, moment, k, poses[i]);
      else overrideMove(compiled, step, moment, k, poses[i]);
    if ((step.kinds[k] & SCALES) !== 0) blendChannelScales(compiled, step, k, poses[i]);
  }
}
