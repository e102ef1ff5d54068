import { BakeError } from '../bake-error.js';
import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { evaluateFrames } from '../evaluate/frames.js';
import { poseBlock } from '../evaluate/pose-block.js';
import { BLOCK } from '../evaluate/turn-kernel.js';
import type { JobOptions } from '../job/job.js';
import { TRACK_KINDS } from '../keys/tracks.js';
import type { Project } from '../layer/project.js';
import { facesOf } from '../rig/members.js';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { type BlockBaker, bakeInBlocks } from './blocks.js';
import { type BakePlan, type BakeRange, newSamples, planBake } from './plan.js';

/** The largest number that a file of 32 bits holds (IEEE 754). */
const LARGEST = 3.4028234663852886e38;

/** Refuses samples of every joint that files cannot hold: numbers that grew beyond all bounds, or that are none. */
export function checkSamples(rig: Rig, samples: Samples, frameOf: (sample: number) => number): void {
  for (const kind of TRACK_KINDS) {
    const { values, size, joints } = samples[kind];
    const wrong = firstBeyond(values);
    if (wrong < 0) continue;
    const entry = Math.floor(wrong / size);
    const index = entry % joints.length;
    const { name } = kind === 'faces' ? facesOf(rig)[index] : rig.joints[index];
    const frame = Number(frameOf(Math.floor(entry / joints.length)).toFixed(3));
    throw new BakeError(
      `${name} has a ${kind === 'faces' ? 'value' : kind.slice(0, -1)} at frame ${frame} that is no finite number: look for values that are far too large`,
    );
  }
}

/** Index of the first number that is none or that a file does not hold; -1 where there is none. */
function firstBeyond(values: Float64Array): number {
  // What adds up to little has no large part, and no part that is no number.
  let sum = 0;
  let other = 0;
  for (let i = 0; i + 1 < values.length; i += 2) {
    sum += Math.abs(values[i]);
    other += Math.abs(values[i + 1]);
  }
  if (values.length % 2 === 1) sum += Math.abs(values[values.length - 1]);
  if (sum + other <= LARGEST) return -1;
  return values.findIndex((value) => !(Math.abs(value) <= LARGEST));
}

/**
 * Evaluates samples of every joint at the frames that `frameOf` says, a block after the other, and gives way after each with
 * the number of samples that are done. Each sample is evaluated on its own, so that they are the same to the bit however a
 * bake is split. Throws {@link BakeError}.
 */
export function* sampleBlocks(
  stack: CompiledStack,
  frameOf: (sample: number) => number,
  samples: Samples,
): Generator<number, void> {
  const { rig } = stack;
  const block = poseBlock(rig);
  const frames = new Float64Array(BLOCK);
  for (let k = 0; k < samples.count; k += BLOCK) {
    const count = Math.min(BLOCK, samples.count - k);
    for (let i = 0; i < count; i++) frames[i] = frameOf(k + i);
    evaluateFrames(stack, frames, count, block);
    for (const kind of TRACK_KINDS) {
      const size = samples[kind].size * samples[kind].joints.length;
      samples[kind].values.set(block[kind].subarray(0, size * count), size * k);
    }
    yield k + count;
  }
  checkSamples(rig, samples, frameOf);
}

/** Evaluates samples `from` to `to` (not included) of a plan for every joint. Throws {@link BakeError}. */
export function bakeBlock(stack: CompiledStack, plan: BakePlan, from: number, to: number): Samples {
  const part = newSamples(stack.rig, to - from, plan.rate);
  const blocks = sampleBlocks(stack, (k) => plan.first + (from + k) * plan.step, part);
  while (!blocks.next().done);
  return part;
}

/** Evaluates parts of a plan in this thread, and lets other work run before each. */
export function bakerHere(project: Project, plan: BakePlan): BlockBaker {
  const stack = compileStack(project);
  return async (from, to) => {
    await new Promise((resolve) => setTimeout(resolve));
    return bakeBlock(stack, plan, from, to);
  };
}

/** Bakes a range of a project in this thread. Works in slices and lets other work run between them. */
export function bake(project: Project, options: BakeRange & JobOptions = {}): Promise<Samples> {
  const plan = planBake(project, options);
  return bakeInBlocks(project.rig, plan, [bakerHere(project, plan)], options);
}
