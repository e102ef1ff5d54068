import { measureAngle } from '../math/quaternion.js';
import { memberCount } from '../rig/members.js';
import { copyPose, type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import type { CompiledLayer } from './compiled.js';

/**
 * Whose pose each joint and face channel has, and what has been added, at one frame. Rows are laid out member by member:
 * entry `row · members + j`, face channels behind the joints.
 */
export interface Attribution {
  /** Row 0 is the rest pose, row `i + 1` layer `i`. For each member the column sums to 1. */
  readonly shares: Float64Array;
  /** Row `i` is layer `i`: radians by which it turned the joint. 0 for override layers, but those with contacts. */
  readonly turns: Float64Array;
  /** Row `i` is layer `i`: length by which it moved the joint, in rig units; what it added to a face channel. */
  readonly moves: Float64Array;
  /** Room for the pose below the layer that is measured. */
  readonly below: Pose;
}

/** Room for the attribution of a stack of `layers` on a rig. */
export function newAttribution(layers: number, rig: Rig): Attribution {
  const members = memberCount(rig);
  return {
    shares: new Float64Array((layers + 1) * members),
    turns: new Float64Array(layers * members),
    moves: new Float64Array(layers * members),
    below: restPose(rig),
  };
}

/** Gives every member to the rest pose. */
export function clearAttribution(attribution: Attribution, members: number): void {
  attribution.shares.fill(0);
  attribution.shares.fill(1, 0, members);
  attribution.turns.fill(0);
  attribution.moves.fill(0);
}

/** Whether what a layer does is measured as a change of what is below, not as a share: it adds, or holds contacts. */
export const actsAsChange = ({ additive, corrects }: CompiledLayer): boolean => additive || corrects;

/** Keeps what is below a layer that acts as a change. */
export function noteBefore(compiled: CompiledLayer, pose: Pose, attribution: Attribution): void {
  if (!actsAsChange(compiled)) return;
  copyPose(attribution.below, pose);
}

/** Measures what layer `index` did to the pose: the change it added, or the share it took. */
export function measureAfter(
  compiled: CompiledLayer,
  index: number,
  members: number,
  pose: Pose,
  attribution: Attribution,
): void {
  const { shares, turns, moves, below } = attribution;
  const { touched, faces, alphas } = compiled;
  const changes = actsAsChange(compiled);
  for (let k = 0; k < touched.length; k++) {
    const alpha = alphas[k];
    if (!(alpha > 0)) continue;
    const j = touched[k];
    if (changes) {
      measureAngle(below.rotations, 4 * j, pose.rotations, 4 * j, turns, index * members + j);
      let squared = 0;
      for (let o = 3 * j; o < 3 * j + 3; o++) squared += (pose.translations[o] - below.translations[o]) ** 2;
      moves[index * members + j] = Math.sqrt(squared);
    } else if (compiled.rotates[k]) takeShare(shares, index, members, j, alpha);
  }
  const firstFace = members - pose.faces.length;
  for (let i = 0; i < faces.length; i++) {
    const alpha = alphas[touched.length + i];
    if (!(alpha > 0)) continue;
    const f = faces[i];
    if (changes) moves[index * members + firstFace + f] = Math.abs(pose.faces[f] - below.faces[f]);
    else takeShare(shares, index, members, firstFace + f, alpha);
  }
}

/** Gives layer `index` a share of a member, and takes it from those below in proportion. */
function takeShare(shares: Float64Array, index: number, members: number, j: number, alpha: number): void {
  for (let row = 0; row <= index; row++) shares[row * members + j] *= 1 - alpha;
  shares[(index + 1) * members + j] = alpha;
}
