import type { Project } from '../layer/project.js';
import { copyPose, restPose } from '../rig/pose.js';
import { characterOf } from '../rig/rig.js';
import type { Motion } from '../take/reshape.js';
import { emptyTrack, type TrackSize } from '../take/take.js';
import { compileStack } from './compile.js';
import { applyLayers } from './evaluate.js';

/** Samples a second, at least, of a motion in which contacts are looked for. */
const FINE = 60;

/**
 * What the layers of a project below an index show of its character over the range, as samples: as many a frame as make at
 * least {@link FINE} a second. Lengths are in units of the rig.
 */
export function motionBelow(project: Project, end = project.layers.length): Motion {
  const rig = characterOf(project.rig);
  const n = rig.joints.length;
  const perFrame = Math.max(1, Math.ceil(FINE / project.fps));
  const [first, last] = project.range;
  const count = Math.max(1, Math.floor((last - first) * perFrame + 1e-6) + 1);
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  const rest = restPose(project.rig);
  const joints = Int32Array.from({ length: n }, (_, j) => j);
  const track = <S extends TrackSize>(size: S) => ({
    joints,
    size,
    values: new Float64Array(size * n * count),
  });
  const [translations, rotations, scales] = [track(3), track(4), track(3)];
  for (let s = 0; s < count; s++) {
    copyPose(pose, rest);
    applyLayers(stack, first + s / perFrame, 0, end, pose);
    translations.values.set(pose.translations.subarray(0, 3 * n), 3 * n * s);
    rotations.values.set(pose.rotations.subarray(0, 4 * n), 4 * n * s);
    scales.values.set(pose.scales.subarray(0, 3 * n), 3 * n * s);
  }
  const interval = 1 / (project.fps * perFrame);
  return { rig, count, interval, translations, rotations, scales, faces: emptyTrack(1) };
}
