import type { Axes } from '../layer/layer.js';
import { multiply, multiplyByInverse, multiplyInverse } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import type { CompiledStack } from './compiled.js';

/**
 * The heading of a pose, as a turn about Y: the twist of what the root has turned from its rest, by the swing-twist
 * decomposition (Dobrowolski, Swing-twist decomposition in Clifford algebra, 2015). The identity where the root is
 * upside down and no heading is defined.
 */
export function headingOf(stack: CompiledStack, pose: Pose, out: Float64Array): void {
  multiplyByInverse(out, 0, pose.rotations, 0, stack.rest.rotations, 0);
  const y = out[1];
  const w = out[3];
  const squared = y * y + w * w;
  const s = squared > 1e-24 ? 1 / Math.sqrt(squared) : 0;
  out[0] = 0;
  out[1] = y * s;
  out[2] = 0;
  out[3] = s === 0 ? 1 : w * s;
}

/** Writes the turn that the axes of a layer stand for: none for the world, the heading for the character. */
export function axesTurn(stack: CompiledStack, axes: Axes, pose: Pose, out: Float64Array): void {
  if (axes === 'character') headingOf(stack, pose, out);
  else out.set(IDENTITY);
}

const IDENTITY = Float64Array.of(0, 0, 0, 1);

/**
 * Writes the turn that takes a change in other axes into those of joint `j`'s parent: `P⁻¹·A`, with `P` the global
 * orientation of the parent and `A` the turn of the axes.
 */
export function turnIntoParent(
  stack: CompiledStack,
  j: number,
  axes: Float64Array,
  orientations: Float64Array,
  out: Float64Array,
): void {
  const parent = stack.parents[j];
  if (parent < 0) out.set(axes);
  else multiplyInverse(out, 0, orientations, 4 * parent, axes, 0);
}

/** Turns a turn into the parent's axes, in place: `Δ = F·Δ·F⁻¹`. */
export function turnChange(frameOf: Float64Array, turn: Float64Array): void {
  multiply(turn, 0, frameOf, 0, turn, 0);
  multiplyByInverse(turn, 0, turn, 0, frameOf, 0);
}
