import { compileStack } from '../evaluate/compile.js';
import type { CompiledStack } from '../evaluate/compiled.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { Project } from '../layer/project.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import { bakeInParts, type JobOptions } from './parts.js';
import { type BakePlan, type BakeRange, newSamples, planBake } from './plan.js';

/** A bake that cannot be written, in words for people. */
export class BakeError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'BakeError';
  }
}

/** The largest number that a file of 32 bits holds (IEEE 754). */
const LARGEST = 3.4028234663852886e38;

/** Refuses a pose that files cannot hold: numbers that grew beyond all bounds, or that are none. */
export function checkPose(rig: Rig, pose: Pose, frame: number): void {
  for (const kind of ['translations', 'rotations', 'scales'] as const) {
    const values = pose[kind];
    const size = values.length / rig.joints.length;
    for (let i = 0; i < values.length; i++)
      if (!(Math.abs(values[i]) <= LARGEST))
        throw new BakeError(
          `${rig.joints[Math.floor(i / size)].name} has a ${kind.slice(0, -1)} at frame ${Number(frame.toFixed(3))} that is no finite number: look for values that are far too large`,
        );
  }
}

/**
 * Evaluates samples `from` to `to` (not included) of a plan for every joint. Each sample is evaluated on its own, so
 * that they are the same to the bit however a bake is split. Throws {@link BakeError}.
 */
export function bakePart(stack: CompiledStack, plan: BakePlan, from: number, to: number): Samples {
  const { rig } = stack;
  const n = rig.joints.length;
  const part = newSamples(rig, to - from, plan.rate);
  const pose = restPose(rig);
  for (let k = from; k < to; k++) {
    const frame = plan.first + k * plan.step;
    evaluateStack(stack, frame, pose);
    checkPose(rig, pose, frame);
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
