import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { Project } from '../layer/project.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { Samples, Track } from '../take/take.js';

export interface BakeOptions {
  /** First and last frame; the project's range where missing. */
  readonly range?: readonly [number, number];
  /** Samples a second; the project's rate where missing. */
  readonly fps?: number;
  /** Told now and then what part of the work is done, from 0 to 1. */
  readonly onProgress?: (done: number) => void;
  /** Ends the work early when it is aborted. */
  readonly signal?: { readonly aborted: boolean };
}

/** A bake that was stopped by the one who asked for it. */
export class BakeCancelled extends Error {
  constructor() {
    super('The bake was cancelled.');
    this.name = 'BakeCancelled';
  }
}

/** Number of samples in a range: sample `k` lies at frame `a + k · fps / rate`, as long as that is not past `b`. */
export function sampleCount(range: readonly [number, number], fps: number, rate: number): number {
  return Math.floor(((range[1] - range[0]) * rate) / fps + 1e-6) + 1;
}

const SAMPLES_A_SLICE = 64;

/**
 * Samples a range of the project for every joint. Works in slices and lets other work run between them.
 * Throws {@link BakeCancelled} when `signal` is aborted.
 */
export async function bake(project: Project, options: BakeOptions = {}): Promise<Samples> {
  const range = options.range ?? project.range;
  const rate = options.fps ?? project.fps;
  const stack = compileStack(project);
  const count = sampleCount(range, project.fps, rate);
  const n = project.rig.joints.length;
  const all = Int32Array.from({ length: n }, (_, j) => j);
  const track = (size: 3 | 4): Track => ({ joints: all, size, values: new Float64Array(count * size * n) });
  const samples: Samples = {
    count,
    interval: 1 / rate,
    translations: track(3),
    rotations: track(4),
    scales: track(3),
  };
  const pose = restPose(project.rig);
  for (let k = 0; k < count; k++) {
    if (k % SAMPLES_A_SLICE === 0) {
      options.onProgress?.(k / count);
      await new Promise((resolve) => setTimeout(resolve));
      if (options.signal?.aborted) throw new BakeCancelled();
    }
    evaluateStack(stack, range[0] + (k * project.fps) / rate, pose);
    samples.translations.values.set(pose.translations, k * 3 * n);
    samples.rotations.values.set(pose.rotations, k * 4 * n);
    samples.scales.values.set(pose.scales, k * 3 * n);
  }
  options.onProgress?.(1);
  return samples;
}

/** Copies sample `k` of samples that hold every joint of the rig into a pose. */
export function poseOfSample(rig: Rig, samples: Samples, k: number, pose: Pose): void {
  const n = rig.joints.length;
  pose.translations.set(samples.translations.values.subarray(k * 3 * n, (k + 1) * 3 * n));
  pose.rotations.set(samples.rotations.values.subarray(k * 4 * n, (k + 1) * 4 * n));
  pose.scales.set(samples.scales.values.subarray(k * 3 * n, (k + 1) * 3 * n));
}
