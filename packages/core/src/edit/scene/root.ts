import { compileStack } from '../../evaluate/compile.js';
import { evaluateStack } from '../../evaluate/evaluate.js';
import { takeOf } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { DEGREES } from '../../math/euler.js';
import { globalMatrices, restPose } from '../../rig/pose.js';
import type { Vector3 } from '../../rig/rig.js';
import { takeDuration } from '../../take/take.js';

/** A layer alone on the rest pose, in full and at every frame: what its content does to the root. */
export const contentAlone = (project: Project, layer: Layer): Project => ({
  ...project,
  layers: [
    {
      ...layer,
      mode: 'override',
      muted: false,
      solo: false,
      weight: 1,
      span: undefined,
      mask: undefined,
      joints: undefined,
    },
  ],
});

/** Where the root is in the scene and which way it heads, in degrees about Y. */
export function rootAt(project: Project, frame: number): { position: number[]; heading: number } {
  const n = project.rig.joints.length;
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const rest = globalMatrices(project.rig, restPose(project.rig), new Float64Array(16 * n));
  const m = globalMatrices(project.rig, pose, new Float64Array(16 * n));
  // The turn since rest, of the direction that is level at rest: +z of the scene.
  const level = [0, 1, 2].map((row) =>
    [0, 1, 2].reduce((sum, k) => {
      const length = rest[4 * k] ** 2 + rest[4 * k + 1] ** 2 + rest[4 * k + 2] ** 2;
      return sum + (m[4 * k + row] * rest[4 * k + 2]) / length;
    }, 0),
  );
  return { position: [m[12], m[13], m[14]], heading: Math.atan2(level[0], level[2]) * DEGREES };
}

/**
 * The project frames at which a layer's take begins and ends to play, from its first played sample to its last: a
 * negative speed plays it from its end. A loop and a speed of 0 have no end of their own. Undefined without a take.
 */
export function playedFrames(project: Project, layer: Layer): { first: number; last?: number } | undefined {
  const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
  if (!take) return undefined;
  const { offset = 0, speed = 1, loop = 'none' } = layer.time ?? {};
  const length = takeDuration(take) * project.fps;
  if (speed === 0) return { first: offset };
  const first = speed > 0 ? offset : offset + length / speed;
  return loop === 'none' ? { first, last: first + length / Math.abs(speed) } : { first };
}

/**
 * The point of the floor below the root where a layer begins to play: about it a new placement turns, so that the
 * character stays where it is.
 */
export function pivotOf(project: Project, layer: Layer): Vector3 {
  const start = playedFrames(project, layer)?.first ?? project.range[0];
  const [x, , z] = rootAt({ ...contentAlone(project, { ...layer, placement: undefined }) }, start).position;
  return [x, 0, z];
}
