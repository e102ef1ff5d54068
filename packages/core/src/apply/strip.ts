import { compileStack } from '../evaluate/compile.js';
import { applyLayers } from '../evaluate/evaluate.js';
import type { Project } from '../layer/project.js';
import { facing } from '../rig/facing.js';
import { copyPose, globalMatrices, restPose } from '../rig/pose.js';
import { positionsAtRest } from '../rig/rest.js';
import { characterOf } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';

/** Poses of a motion as drawings of bones, at even times over its range. */
export interface Strip {
  /** Pairs of joints between which a line is drawn, one after the other. */
  readonly bones: readonly number[];
  /** For each pose two numbers a joint, right and up, as parts of the height of the character, from below its root. */
  readonly poses: readonly (readonly number[])[];
}

/** Degrees by which the character is seen from the side of its front. */
const ASIDE = 35;
/** A thousandth of the height is finer than any drawing. */
const FINE = 1000;

/** Draws a number of poses of a project, each from in front and a little aside of how the character looks at rest, below each other's root. */
export function stripOf(project: Project, count: number): Strip {
  const rig = characterOf(project.rig);
  const n = rig.joints.length;
  const stack = compileStack(project);
  const rest = positionsAtRest(rig);
  const [x, , z] = facing(rig, rest);
  const angle = Math.atan2(x, z) + (ASIDE * Math.PI) / 180;
  const [across, along] = [Math.cos(angle), -Math.sin(angle)];
  const heights = Array.from({ length: n }, (_, j) => rest[3 * j + 1]);
  const height = Math.max(...heights) - Math.min(...heights) || 1;
  const pose = restPose(project.rig);
  const matrices = new Float64Array(16 * project.rig.joints.length);
  const [first, last] = project.range;
  const root = rootOf(project.rig);
  const poses = Array.from({ length: count }, (_, k) => {
    const frame = count < 2 ? first : first + ((last - first) * k) / (count - 1);
    copyPose(pose, stack.rest);
    applyLayers(stack, frame, 0, stack.layers.length, pose);
    globalMatrices(project.rig, pose, matrices);
    const at = (j: number, axis: number) => matrices[16 * j + 12 + axis];
    return Array.from({ length: 2 * n }, (_, i) => {
      const j = i >> 1;
      const right = across * (at(j, 0) - at(root, 0)) + along * (at(j, 2) - at(root, 2));
      return Math.round(((i % 2 === 0 ? right : at(j, 1)) / height) * FINE) / FINE;
    });
  });
  return {
    bones: rig.joints.flatMap(({ parent }, j) =>
      parent > 0 || (parent === 0 && root !== 0) || parent === root ? [parent, j] : [],
    ),
    poses,
  };
}
