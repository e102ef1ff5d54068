import { measureAngle } from '../math/quaternion.js';
import type { Pose } from '../rig/pose.js';
import type { CompiledLayer } from './compiled.js';

/**
 * Whose pose each joint has, and what has been added, at one frame. Rows are laid out joint by joint:
 * entry `row · joints + j`.
 */
export interface Attribution {
  /** Row 0 is the rest pose, row `i + 1` layer `i`. For each joint the column sums to 1. */
  readonly shares: Float64Array;
  /** Row `i` is layer `i`: radians by which it turned the joint. 0 for override layers, but those with contacts. */
  readonly turns: Float64Array;
  /** Row `i` is layer `i`: length by which it moved the joint, in rig units. */
  readonly moves: Float64Array;
  /** Room for rotations and translations below the layer that is measured. */
  readonly rotations: Float64Array;
  readonly translations: Float64Array;
}

/** Room for the attribution of a stack of `layers` on `joints`. */
export function newAttribution(layers: number, joints: number): Attribution {
  return {
    shares: new Float64Array((layers + 1) * joints),
    turns: new Float64Array(layers * joints),
    moves: new Float64Array(layers * joints),
    rotations: new Float64Array(4 * joints),
    translations: new Float64Array(3 * joints),
  };
}

/** Gives every joint to the rest pose. */
export function clearAttribution(attribution: Attribution, joints: number): void {
  attribution.shares.fill(0);
  attribution.shares.fill(1, 0, joints);
  attribution.turns.fill(0);
  attribution.moves.fill(0);
}

/** Whether what a layer does is measured as a change of what is below, not as a share: it adds, or holds contacts. */
export const actsAsChange = ({ additive, corrects }: CompiledLayer): boolean => additive || corrects;

/** Keeps what is below a layer that acts as a change. */
export function noteBefore(compiled: CompiledLayer, pose: Pose, attribution: Attribution): void {
  if (!actsAsChange(compiled)) return;
  attribution.rotations.set(pose.rotations);
  attribution.translations.set(pose.translations);
}

/** Measures what layer `index` did to the pose: the change it added, or the share it took. */
export function measureAfter(
  compiled: CompiledLayer,
  index: number,
  joints: number,
  pose: Pose,
  attribution: Attribution,
): void {
  const { shares, turns, moves, rotations, translations } = attribution;
  const { touched, alphas } = compiled;
  for (let k = 0; k < touched.length; k++) {
    const alpha = alphas[k];
    if (!(alpha > 0)) continue;
    const j = touched[k];
    if (actsAsChange(compiled)) {
      measureAngle(rotations, 4 * j, pose.rotations, 4 * j, turns, index * joints + j);
      let squared = 0;
      for (let o = 3 * j; o < 3 * j + 3; o++) squared += (pose.translations[o] - translations[o]) ** 2;
      moves[index * joints + j] = Math.sqrt(squared);
    } else if (compiled.rotates[k]) {
      for (let row = 0; row <= index; row++) shares[row * joints + j] *= 1 - alpha;
      shares[(index + 1) * joints + j] = alpha;
    }
  }
}
