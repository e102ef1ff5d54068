import type { Pose } from '../rig/pose.js';
import type { CompiledLayer } from './compiled.js';
import { GROUP, hold, type Kernel, type KernelTrack, rowOf } from './kernel.js';
import type { TakeStep } from './steps/take-step.js';

/**
 * Blends the rotations of a take into the kernel's pose, for all touched joints but the roots of a layer that is placed,
 * after α and the samples of the layer were read.
 */
export function blendInKernel(
  kernel: Kernel,
  compiled: CompiledLayer,
  step: TakeStep,
  track: KernelTrack,
  pose: Pose,
): void {
  const { touched, alphas, additive, placement } = compiled;
  const { row } = kernel;
  const n = kernel.loaded.length;
  const whole = compiled.whole && !placement;
  if (whole && alphas[0] === 0) return;
  if (whole && kernel.loadedCount < n) for (let j = 0; j < n; j++) hold(kernel, j, pose);
  const count = whole ? row / GROUP : listGroups(kernel, compiled, pose);
  if (count === 0) return;
  const { spot, origin } = step;
  const a = rowOf(kernel, track, spot.s);
  const b = spot.u[0] === 0 ? a : rowOf(kernel, track, spot.s + 1);
  const groups = whole ? 0 : kernel.lists;
  const factors = whole ? 0 : kernel.alphas;
  kernel.factorValues[0] = touched.length > 0 ? alphas[0] : 0;
  kernel.factorValues[1] = spot.u[0];
  // Without a reference the kernel overrides.
  const reference = !additive ? 0 : origin === 'rest' ? kernel.rest : rowOf(kernel, track, origin);
  kernel.code.blendPose(groups, count, factors, a, b, kernel.pose, reference);
}

/** Lists the groups of the joints that a layer rotates, with α of each joint, and returns how many there are. */
function listGroups(
  kernel: Kernel,
  { touched, rotates, alphas, placement }: CompiledLayer,
  pose: Pose,
): number {
  const { listValues, alphaValues, topology } = kernel;
  let count = 0;
  let last = -1;
  for (let k = 0; k < touched.length; k++) {
    if (rotates[k] === 0 || alphas[k] === 0) continue;
    const j = touched[k];
    if (placement && topology.parents[j] < 0) continue;
    hold(kernel, j, pose);
    const group = j >> 2;
    if (group !== last) {
      last = group;
      listValues[count++] = group * GROUP;
      // A joint of the group that is not touched has an α of 0, which leaves it exactly as it is.
      for (let lane = 4 * count - 4; lane < 4 * count; lane++) alphaValues[lane] = 0;
    }
    alphaValues[4 * count - 4 + (j & 3)] = alphas[k];
  }
  return count;
}
