import type { Axes } from '../layer/layer.js';
import { multiply, multiplyByInverse, multiplyInverse } from '../math/quaternion.js';
import { turnIn, turnOut } from '../rig/frame.js';
import type { Pose } from '../rig/pose.js';
import { charactersOf, type Rig } from '../rig/rig.js';
import { frameOf, ownerOf, rootOf } from '../rig/topology.js';
import type { CompiledStack } from './compiled.js';

/**
 * The heading of a pose of a character, as a turn about Y: the twist of what the root has turned from its rest, by the swing-twist
 * decomposition (Dobrowolski, Swing-twist decomposition in Clifford algebra, 2015), with the frame that it stands in. The
 * identity where the root is upside down and no heading is defined.
 */
export function headingOf(stack: CompiledStack, pose: Pose, character: number, out: Float64Array): void {
  const root = rootOf(stack.rig, character);
  multiplyByInverse(out, 0, pose.rotations, 4 * root, stack.rest.rotations, 4 * root);
  const frame = frameOf(stack.rig, root);
  if (frame) turnIn(frame, out, 0);
  const y = out[1];
  const w = out[3];
  const squared = y * y + w * w;
  const s = squared > 1e-24 ? 1 / Math.sqrt(squared) : 0;
  out[0] = 0;
  out[1] = y * s;
  out[2] = 0;
  out[3] = s === 0 ? 1 : w * s;
}

/** Room for the turns of the axes on a rig, see {@link CompiledStack.axes}. */
export const newAxesTurns = (rig: Rig): readonly Float64Array[] =>
  charactersOf(rig).map(() => Float64Array.of(0, 0, 0, 1));

/** Finds the turns that the axes of a layer stand for, from the pose below it. */
export function findAxes(stack: CompiledStack, axes: Axes, pose: Pose): void {
  for (let k = 0; k < stack.axes.length; k++)
    if (axes === 'character') headingOf(stack, pose, k, stack.axes[k]);
    else stack.axes[k].set(IDENTITY);
}

/** The turn of the axes that counts for a joint, after {@link findAxes}: of a prop that of the first character. */
export const axesOfJoint = ({ rig, axes }: CompiledStack, joint: number): Float64Array =>
  axes[axes.length === 1 ? 0 : Math.max(0, ownerOf(rig, joint))];

const IDENTITY = Float64Array.of(0, 0, 0, 1);

/**
 * Writes the turn that takes a change in other axes into those of joint `j`'s parent: `P⁻¹·A`, with `P` the global
 * orientation of the parent and `A` the turn of the axes, which are found already.
 */
export function turnIntoParent(
  stack: CompiledStack,
  j: number,
  orientations: Float64Array,
  out: Float64Array,
): void {
  const parent = stack.parents[j];
  const axes = axesOfJoint(stack, j);
  if (parent < 0) {
    out.set(axes);
    const frame = frameOf(stack.rig, j);
    if (frame) turnOut(frame, out, 0);
  } else multiplyInverse(out, 0, orientations, 4 * parent, axes, 0);
}

/** Turns a turn into the parent's axes, in place: `Δ = F·Δ·F⁻¹`. */
export function turnChange(frameOf: Float64Array, turn: Float64Array): void {
  multiply(turn, 0, frameOf, 0, turn, 0);
  multiplyByInverse(turn, 0, turn, 0, frameOf, 0);
}
