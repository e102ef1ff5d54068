import type { Pose } from '../rig/pose.js';
import type { CompiledLayer } from './compiled.js';
import { GROUP, hold, type Kernel } from './kernel.js';
import type { TakeStep } from './steps/take-step.js';

/**
 * Blends the rotations of a take into the kernel's pose, for the touched joints from the `from`-th up to, and not
 * with, the `to`-th, after α and the samples of the layer were read. `track` is where the samples of the take begin.
 */
export function blendInKernel(
  kernel: Kernel,
  compiled: CompiledLayer,
  step: TakeStep,
  track: number,
  from: number,
  to: number,
  pose: Pose,
): void {
  const { touched, alphas, additive } = compiled;
  const { row } = kernel;
  const n = kernel.loaded.length;
  const whole = from === 0 && to === touched.length && compiled.whole;
  if (whole && alphas[0] === 0) return;
  if (whole && kernel.loadedCount < n) for (let j = 0; j < n; j++) hold(kernel, j, pose);
  const count = whole ? row / GROUP : listGroups(kernel, compiled, from, to, pose);
  if (count === 0) return;
  const { spot, origin } = step;
  const a = track + spot.s * row;
  const b = spot.u[0] === 0 ? a : a + row;
  const groups = whole ? 0 : kernel.lists;
  const factors = whole ? 0 : kernel.alphas;
  kernel.factorValues[0] = touched.length > 0 ? alphas[0] : 0;
  kernel.factorValues[1] = spot.u[0];
  // Without a reference the kernel overrides.
  const reference = !additive ? 0 : origin === 'rest' ? kernel.rest : track + origin * row;
  kernel.code.blendPose(groups, count, factors, a, b, kernel.pose, reference);
}

/** Lists the groups of the joints that a layer rotates, with α of each joint, and returns how many there are. */
function listGroups(
  kernel: Kernel,
  { touched, rotates, alphas }: CompiledLayer,
  from: number,
  to: number,
  pose: Pose,
): number {
  const { listValues, alphaValues } = kernel;
  let count = 0;
  let last = -1;
  for (let k = from; k < to; k++) {
    if (rotates[k] === 0 || alphas[k] === 0) continue;
    const j = touched[k];
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
