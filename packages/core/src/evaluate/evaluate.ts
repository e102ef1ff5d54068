import { baseOf } from '../layer/project.js';
import { readOwnFrame } from '../layer/time.js';
import { multiply } from '../math/quaternion.js';
import { placeAll } from '../rig/placed.js';
import { copyPose, globalOrientations, type Pose } from '../rig/pose.js';
import { type Attribution, clearAttribution, measureAfter, noteBefore } from './attribution.js';
import { axesOfJoint, findAxes, turnIntoParent } from './axes.js';
import { addChannels, overrideChannels, readChannels } from './blend-channels.js';
import { blendChannelFaces, blendTakeFaces } from './blend-faces.js';
import { blendInKernel } from './blend-kernel.js';
import { holdScales } from './blend-scale.js';
import {
  blendPlacedTake,
  blendTakeRotation,
  blendTakeScale,
  blendTakeTranslation,
  copyRotations,
} from './blend-take.js';
import { type ApplyRun, applyInBlocks } from './blocks.js';
import { type CompiledLayer, type CompiledStack, goesWhole } from './compiled.js';
import { type ContactCache, follows, lookAround, noteSight } from './contacts/contact-cache.js';
import type { Below } from './contacts/contact-step.js';
import { lookAtTurns } from './contacts/contact-turns.js';
import { framesAround } from './contacts/frames-around.js';
import { holdContacts } from './contacts/hold-contacts.js';
import { poseAhead } from './contacts/poses-ahead.js';
import { memberAlpha, readAlphas, readWeight } from './gate.js';
import { forgetPose, holdRest, type Kernel, takeBack, useRest } from './kernel.js';
import { FRAME, newMoment, OWN, ROUND, WEIGHT } from './moment.js';
import { findSpace } from './placement.js';
import { newPoseBlock } from './pose-block.js';
import { locateSample } from './sample.js';
import type { ChannelStep } from './steps/channel-step.js';
import { targetStepOf } from './steps/step.js';
import type { TakeStep } from './steps/take-step.js';
import { reachTarget, type TargetStep } from './steps/target-step.js';
import { BLOCK } from './turn-kernel.js';

/**
 * Evaluates the stack at a frame into `pose`: the rest pose, then every layer from the base up.
 * Allocates nothing. With `attribution`, shares and changes are measured on the way.
 */
export function evaluateStack(
  stack: CompiledStack,
  frame: number,
  pose: Pose,
  attribution?: Attribution,
): void {
  copyPose(pose, stack.rest);
  if (attribution) clearAttribution(attribution, stack.parts.length);
  applyLayers(stack, frame, 0, stack.layers.length, pose, attribution);
  holdScales(pose.scales);
}

/**
 * Applies the layers with indices in `[from, to)` to a pose that holds what is below them; `top` is the end of those that
 * are applied after all. With `only` those alone that it has a 1 for.
 */
export function applyLayers(
  stack: CompiledStack,
  frame: number,
  from: number,
  to: number,
  pose: Pose,
  attribution?: Attribution,
  top = to,
  only?: Uint8Array,
): void {
  const { kernel } = stack;
  // What layers with contacts need of other frames is found before this one begins, the uppermost first.
  for (let index = to - 1; index >= from; index--)
    if (stack.contactCaches[index] && stack.live[index] && (!only || only[index] === 1))
      lookBelow(stack, index, frame, from === 0 && !attribution);
  // What was evaluated ahead up to one of them need not be again.
  const known = from === 0 && !attribution ? takeFromAhead(stack, frame, to, pose, only) : from;
  if (kernel) {
    useRest(kernel, stack.restRow);
    forgetPose(kernel);
  }
  moment[FRAME] = frame;
  const baseToo = kernel !== undefined && from === 0 && baseGoesAlong(stack, top);
  if (baseToo) holdRest(kernel);
  for (let index = known; index < to; index++) {
    if (!stack.live[index] || (only && only[index] === 0)) continue;
    const compiled = stack.layers[index];
    if (!readGate(compiled)) continue;
    if (attribution) {
      if (kernel) takeBack(kernel, pose);
      noteBefore(compiled, pose, attribution);
    }
    applyLayer(stack, index, index === 0 && !baseToo ? undefined : kernel, pose);
    if (attribution) {
      if (kernel) takeBack(kernel, pose);
      measureAfter(compiled, index, stack.parts.length, pose, attribution);
    }
  }
  if (kernel) takeBack(kernel, pose);
}

/** Finds what a layer with contacts needs of the motion below it, for a frame; with `keeps` whole poses of frames ahead are kept. */
function lookBelow(stack: CompiledStack, index: number, frame: number, keeps: boolean): void {
  const cache = stack.contactCaches[index]!;
  const upTo =
    (end: number): Below =>
    (at, pose) =>
      applyLayers(stack, at, 0, end, pose, undefined, end, cache.seen);
  const whole: Below = (at, pose) => applyLayers(stack, at, 0, index, pose);
  const plays = keeps && follows(cache, frame);
  if (!plays) seeMany(stack, index, cache, framesAround(cache, frame));
  lookAround(cache, stack.rest, upTo(index), frame, plays ? whole : undefined);
  // The layer up to which it is like, itself among them.
  lookAtTurns(cache.turns, stack.rest, upTo(index), (end) => upTo(end + 1), frame);
}

/** Frames that are seen one by one: fewer are not worth a block. */
const FEW = 4;

/** Sees what is below a layer with contacts at some frames, a block of them at once. */
function seeMany(stack: CompiledStack, index: number, cache: ContactCache, wanted: readonly number[]): void {
  if (wanted.length < FEW) return;
  const { room, seen } = cache;
  room.block ??= newPoseBlock(stack.rig);
  const { block } = room;
  const apply: ApplyRun = (at, from, to, pose) =>
    applyLayers(stack, at, from, to, pose, undefined, index, seen);
  for (let first = 0; first < wanted.length; first += BLOCK) {
    const frames = Float64Array.from(wanted.slice(first, first + BLOCK));
    applyInBlocks(stack, frames, frames.length, block, index, apply, seen);
    for (const [i, frame] of frames.entries()) noteSight(cache, frame, block.poses[i]);
  }
}

/**
 * Brings what is below the uppermost layer with contacts whose poses were kept ahead. Returns the layer from which on there is
 * more to apply.
 */
function takeFromAhead(
  { contactCaches, live }: CompiledStack,
  frame: number,
  to: number,
  pose: Pose,
  only: Uint8Array | undefined,
): number {
  for (let index = to - 1; index > 0; index--) {
    const ahead = contactCaches[index]?.ahead;
    if (!ahead || !live[index] || (only && only[index] === 0)) continue;
    const kept = poseAhead(ahead, frame);
    if (!kept) continue;
    copyPose(pose, kept);
    return index;
  }
  return 0;
}

// Evaluation runs to its end without a pause, so one is enough.
const moment = newMoment();

/** Reads α of every joint that a layer touches; false where it counts for none. */
function readGate(compiled: CompiledLayer): boolean {
  if (compiled.alphas.length === 0) return false;
  if (compiled.steady) return compiled.alphas[0] > 0;
  readWeight(compiled, moment, FRAME, moment, WEIGHT);
  if (moment[WEIGHT] === 0) return false;
  readAlphas(compiled, moment, WEIGHT, moment, FRAME);
  return true;
}

/**
 * Whether a layer below `top` takes every joint through the kernel at this frame, so that nothing is lost when the
 * base goes there too.
 */
function baseGoesAlong(stack: CompiledStack, top: number): boolean {
  if (!goesWhole(baseOf(stack))) return false;
  for (let index = 1; index < top; index++) {
    if (!stack.live[index] || !goesWhole(stack.layers[index])) continue;
    if (readGate(stack.layers[index])) return true;
  }
  return false;
}

/** Applies one layer whose α was read. */
function applyLayer(stack: CompiledStack, index: number, kernel: Kernel | undefined, pose: Pose): void {
  const compiled = stack.layers[index];
  const { steps, time } = compiled;
  readOwnFrame(time, moment, FRAME, moment, OWN);
  if (time.loop !== 'travel') moment[ROUND] = 0;
  if (compiled.placement?.space !== undefined) {
    if (kernel) takeBack(kernel, pose);
    findSpace(compiled.placement, stack.rig, pose);
  }
  // The heading that counts is that of the pose below the layer.
  if (compiled.additive && compiled.layer.axes !== 'joint' && targetStepOf(steps))
    findAxes(stack, compiled.layer.axes, pose);
  for (let s = 0; s < steps.length; s++) {
    const step = steps[s];
    if (step.kind === 'take') {
      locateSample(step.take, moment, OWN, step.spot);
      applyTake(stack, index, step, kernel, pose);
      continue;
    }
    // All at once: what follows is often keyed too.
    if (kernel) takeBack(kernel, pose);
    if (step.kind === 'channels') {
      readChannels(step, moment);
      applyChannels(stack, compiled, step, pose);
    } else if (step.kind === 'targets') applyTargets(stack, compiled, step, pose);
    else {
      stack.placed.pose = pose;
      placeAll(stack.placed);
      holdContacts(stack.placed, stack.contactCaches[index]!, compiled, moment[FRAME]);
    }
  }
}

function applyTake(
  stack: CompiledStack,
  index: number,
  step: TakeStep,
  kernel: Kernel | undefined,
  pose: Pose,
): void {
  const compiled = stack.layers[index];
  const { touched, alphas, placement } = compiled;
  const { parents } = stack;
  // Roots in a layer that is placed are blended on their own; their scale is content like any other.
  if (placement) {
    if (kernel) takeBack(kernel, pose);
    for (let k = 0; k < touched.length; k++)
      if (parents[touched[k]] < 0 && alphas[k] > 0)
        blendPlacedTake(stack.rig, compiled, step, moment, k, pose);
  }
  const copied = !kernel && copyRotations(compiled, step, pose);
  // With the kernel there is nothing to do here for joints that only turn.
  const { moving } = step;
  const count = kernel ? moving.length : touched.length;
  for (let i = 0; i < count; i++) {
    const k = kernel ? moving[i] : i;
    if (!(alphas[k] > 0)) continue;
    const j = touched[k];
    const own = !placement || parents[j] >= 0;
    if (!kernel && !copied && own) blendTakeRotation(compiled, step, k, pose);
    if (own && step.translation[j] >= 0) blendTakeTranslation(compiled, step, moment, k, pose);
    if (step.scale[j] >= 0) blendTakeScale(compiled, step, k, pose);
  }
  if (kernel) blendInKernel(kernel, compiled, step, stack.tracks[index]!, pose);
  blendTakeFaces(compiled, step, moment, pose);
}

function applyChannels(stack: CompiledStack, compiled: CompiledLayer, step: ChannelStep, pose: Pose): void {
  const { touched, alphas, additive, layer } = compiled;
  blendChannelFaces(compiled, step, pose);
  if (additive && layer.axes !== 'joint') {
    addInAxes(stack, compiled, step, pose);
    return;
  }
  for (let k = 0; k < touched.length; k++) {
    if (!(alphas[k] > 0)) continue;
    if (additive) addChannels(stack, compiled, step, moment, k, pose);
    else overrideChannels(stack, compiled, step, moment, k, pose);
  }
}

const counts = new Float64Array(2);

/** Brings joints to their targets, one after the other. */
function applyTargets(stack: CompiledStack, compiled: CompiledLayer, step: TargetStep, pose: Pose): void {
  const { slots, alphas, additive, layer } = compiled;
  const { placed } = stack;
  placed.pose = pose;
  placeAll(placed);
  for (let t = 0; t < step.targets.length; t++) {
    const target = step.targets[t];
    for (let c = 0; c < 2; c++) {
      const slot = slots[target.counts[c]];
      counts[c] = slot < 0 ? 0 : alphas[slot];
    }
    if (counts[0] > 0 || counts[1] > 0)
      reachTarget(
        placed,
        target,
        counts,
        moment,
        additive,
        layer.axes === 'joint' ? undefined : axesOfJoint(stack, target.joint),
      );
  }
}

const intoParent = new Float64Array(4);

/** Adds a change that is meant in the axes of the world or the character, parents before children. */
function addInAxes(stack: CompiledStack, compiled: CompiledLayer, step: ChannelStep, pose: Pose): void {
  const { touched, alphas, layer } = compiled;
  const { parents, orientations } = stack;
  if (touched.length === 0) return;
  findAxes(stack, layer.axes, pose);
  let k = 0;
  for (let j = 0; j <= touched[touched.length - 1]; j++) {
    if (touched[k] === j) {
      if (alphas[k] > 0) {
        turnIntoParent(stack, j, orientations, intoParent);
        addChannels(stack, compiled, step, moment, k, pose, intoParent);
      }
      k++;
    }
    if (parents[j] < 0) globalOrientations(stack.rig, pose, orientations, j, j + 1);
    else multiply(orientations, 4 * j, orientations, 4 * parents[j], pose.rotations, 4 * j);
  }
}

/** How much layer `index` counts for a member of the rig, a joint or a face channel, at a frame: α, with mute and solo. Content is not asked. */
export const alphaAt = (stack: CompiledStack, index: number, joint: number, frame: number): number =>
  stack.live[index] ? memberAlpha(stack.layers[index], joint, frame) : 0;
