import { holdScales } from './blend-scale.js';
import { applyInBlocks } from './blocks.js';
import type { CompiledStack } from './compiled.js';
import { applyLayers } from './evaluate.js';
import type { PoseBlock } from './pose-block.js';

/**
 * Evaluates the stack at `count` frames, as many as a block has at most: to the bit what `evaluateStack` says at each. Keyed layers
 * are read and blended joint by joint for all frames at once; whatever else there is, frame by frame.
 */
export function evaluateFrames(
  stack: CompiledStack,
  frames: Float64Array,
  count: number,
  block: PoseBlock,
): void {
  const all = stack.layers.length;
  applyInBlocks(stack, frames, count, block, all, (frame, from, to, pose) =>
    applyLayers(stack, frame, from, to, pose, undefined, all),
  );
  holdScales(block.scales);
}
