import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { Project } from '../layer/project.js';
import { restPose } from '../rig/pose.js';
import type { Samples } from '../take/take.js';
import { bakeInParts, type JobOptions } from './parts.js';
import { type BakePlan, type BakeRange, newSamples, planBake } from './plan.js';

/**
 * Evaluates samples `from` to `to` (not included) of a plan for every joint. Each sample is evaluated on its own, so
 * that they are the same to the bit however a bake is split.
 */
export function bakePart(stack: CompiledStack, plan: BakePlan, from: number, to: number): Samples {
  const { rig } = stack;
  const n = rig.joints.length;
  const part = newSamples(rig, to - from, plan.rate);
  const pose = restPose(rig);
  for (let k = from; k < to; k++) {
    evaluateStack(stack, plan.first + k * plan.step, pose);
    const row = (k - from) * n;
    part.translations.values.set(pose.translations, 3 * row);
    part.rotations.values.set(pose.rotations, 4 * row);
    part.scales.values.set(pose.scales, 3 * row);
  }
  return part;
}

/** Bakes a range of a project in this thread. Works in slices and lets other work run between them. */
export function bake(project: Project, options: BakeRange & JobOptions = {}): Promise<Samples> {
  const stack = compileStack(project);
  const plan = planBake(project, options);
  const here = async (from: number, to: number) => {
    await new Promise((resolve) => setTimeout(resolve));
    return bakePart(stack, plan, from, to);
  };
  return bakeInParts(project.rig, plan, [here], options);
}
