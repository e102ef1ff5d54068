import { scalarAt } from '../curve/evaluate.js';
import { angleBetween } from '../math/quaternion.js';
import { copyPose, type Pose } from '../rig/pose.js';
import { blendChannels, blendTake, locateSegments } from './blend.js';
import type { CompiledLayer, CompiledStack } from './compile.js';
import { jointFactor, layerWeight, readScalars } from './gate.js';

/**
 * Whose pose each joint has, and what has been added, at one frame. Rows are laid out joint by joint:
 * entry `row · joints + j`.
 */
export interface Attribution {
  /** Row 0 is the rest pose, row `i + 1` layer `i`. For each joint the column sums to 1. */
  readonly shares: Float64Array;
  /** Row `i` is layer `i`: radians by which it turned the joint. 0 for override layers. */
  readonly turns: Float64Array;
  /** Row `i` is layer `i`: length by which it moved the joint, in rig units. */
  readonly moves: Float64Array;
}

/** Room for the attribution of a stack of `layers` on `joints`. */
export function newAttribution(layers: number, joints: number): Attribution {
  return {
    shares: new Float64Array((layers + 1) * joints),
    turns: new Float64Array(layers * joints),
    moves: new Float64Array(layers * joints),
  };
}

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
  if (attribution) {
    attribution.shares.fill(0);
    attribution.shares.fill(1, 0, stack.orders.length);
    attribution.turns.fill(0);
    attribution.moves.fill(0);
  }
  applyLayers(stack, frame, 0, stack.layers.length, pose, attribution);
}

/** Applies the layers with indices in `[from, to)` to a pose that holds what is below them. */
export function applyLayers(
  stack: CompiledStack,
  frame: number,
  from: number,
  to: number,
  pose: Pose,
  attribution?: Attribution,
): void {
  for (let index = from; index < to; index++) {
    if (!stack.live[index]) continue;
    const compiled = stack.layers[index];
    const weight = layerWeight(compiled, frame);
    if (weight === 0) continue;
    readScalars(compiled, frame);
    if (compiled.content.kind === 'channels') locateSegments(compiled.content, frame);
    if (attribution) applyMeasured(stack, compiled, index, frame, weight, pose, attribution);
    else {
      for (let k = 0; k < compiled.touched.length; k++) {
        const alpha = weight * jointFactor(compiled, k);
        if (alpha > 0) blendJoint(stack, compiled, frame, k, alpha, pose);
      }
    }
  }
}

function blendJoint(
  stack: CompiledStack,
  compiled: CompiledLayer,
  frame: number,
  k: number,
  alpha: number,
  pose: Pose,
): void {
  const { content, additive } = compiled;
  const j = compiled.touched[k];
  if (content.kind === 'channels') blendChannels(content, additive, stack.orders[j], k, j, alpha, pose);
  else {
    const reference = compiled.layer.take?.reference ?? 'first';
    const origin = reference === 'first' ? 0 : reference;
    blendTake(stack, content, additive, origin, frame / stack.fps, j, alpha, pose);
  }
}

const before = new Float64Array(4);

function applyMeasured(
  stack: CompiledStack,
  compiled: CompiledLayer,
  index: number,
  frame: number,
  weight: number,
  pose: Pose,
  attribution: Attribution,
): void {
  const n = stack.orders.length;
  const { shares, turns, moves } = attribution;
  const { translations: t, rotations: r } = pose;
  for (let k = 0; k < compiled.touched.length; k++) {
    const alpha = weight * jointFactor(compiled, k);
    if (!(alpha > 0)) continue;
    const j = compiled.touched[k];
    for (let c = 0; c < 4; c++) before[c] = r[4 * j + c];
    const x = t[3 * j];
    const y = t[3 * j + 1];
    const z = t[3 * j + 2];
    blendJoint(stack, compiled, frame, k, alpha, pose);
    if (compiled.additive) {
      turns[index * n + j] = angleBetween(before, 0, r, 4 * j);
      moves[index * n + j] = Math.hypot(t[3 * j] - x, t[3 * j + 1] - y, t[3 * j + 2] - z);
    } else if (compiled.turns[k]) {
      for (let row = 0; row <= index; row++) shares[row * n + j] *= 1 - alpha;
      shares[(index + 1) * n + j] = alpha;
    }
  }
}

/** How much layer `index` counts for joint `j` at a frame: α, with mute and solo. Content is not asked. */
export function alphaAt(stack: CompiledStack, index: number, joint: number, frame: number): number {
  if (!stack.live[index]) return 0;
  const compiled = stack.layers[index];
  const weight = layerWeight(compiled, frame);
  return weight * maskAt(stack, compiled, joint, frame);
}

function maskAt(stack: CompiledStack, compiled: CompiledLayer, joint: number, frame: number): number {
  const { layer } = compiled;
  const mask = layer.mask ? (layer.mask[stack.parts[joint]] ?? 0) : 1;
  const factor = layer.joints?.[stack.rig.joints[joint].name] ?? 1;
  return scalarAt(mask, frame) * scalarAt(factor, frame);
}
