import { globalMatrices, type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { type JointRuns, markUp, runsOf } from '../rig/topology.js';
import type { Motion } from './reshape.js';
import type { Track } from './take.js';

/** Joints of a motion that are watched, and room for where they are. */
export interface Watch {
  readonly rig: Rig;
  readonly pose: Pose;
  readonly reads: readonly Reading[];
  readonly runs: JointRuns;
  readonly matrices: Float64Array;
}

/**
 * Watches where some joints of a motion are, sample by sample. Only they and what they hang on are read and placed: numbers of other joints
 * mean nothing.
 */
export function watchJoints(motion: Motion, joints: Iterable<number>): Watch {
  const { rig } = motion;
  const needed = markUp(rig, joints);
  const pose = restPose(rig);
  return {
    rig,
    pose,
    reads: (['translations', 'rotations', 'scales'] as const).map((kind) =>
      reading(motion[kind], needed, pose, kind),
    ),
    runs: runsOf(needed),
    matrices: new Float64Array(16 * needed.length),
  };
}

/** The global transforms of what is watched at a sample, 16 numbers a joint of the rig; the same array at each call. */
export function seenAt({ rig, pose, reads, runs, matrices }: Watch, sample: number): Float64Array {
  for (let k = 0; k < reads.length; k++) readEntries(reads[k], sample);
  for (let k = 0; k < runs.length; k++) globalMatrices(rig, pose, matrices, runs[k][0], runs[k][1]);
  return matrices;
}

/** A place that goes with a joint: an offset in its axes. */
export interface Spot {
  readonly joint: number;
  readonly offset: readonly number[];
}

const NO_OFFSET = [0, 0, 0];

/** The place of a joint itself. */
export const spotOf = (joint: number): Spot => ({ joint, offset: NO_OFFSET });

/** Where spots are in the scene at every sample of a motion, 3 numbers a sample. */
export function pathsOf(motion: Motion, spots: readonly Spot[]): Float64Array[] {
  const watch = watchJoints(
    motion,
    spots.map(({ joint }) => joint),
  );
  const paths = spots.map(() => new Float64Array(3 * motion.count));
  for (let s = 0; s < motion.count; s++) writePlaces(seenAt(watch, s), spots, paths, 3 * s);
  return paths;
}

function writePlaces(m: Float64Array, spots: readonly Spot[], paths: readonly Float64Array[], o: number) {
  for (let k = 0; k < spots.length; k++) writePlace(m, spots[k], paths[k], o);
}

/** Writes where a spot is: 3 numbers. */
export function writePlace(m: Float64Array, { joint, offset }: Spot, out: Float64Array, o: number): void {
  const j = 16 * joint;
  for (let axis = 0; axis < 3; axis++)
    out[o + axis] =
      m[j + axis] * offset[0] + m[j + 4 + axis] * offset[1] + m[j + 8 + axis] * offset[2] + m[j + 12 + axis];
}

/** Which entries of a track are read, and to which joints of a pose they go. */
interface Reading {
  readonly track: Track;
  readonly entries: Int32Array;
  readonly to: Float64Array;
}

function reading(
  track: Track,
  needed: Uint8Array,
  pose: Pose,
  kind: 'translations' | 'rotations' | 'scales',
): Reading {
  const entries = Int32Array.from([...track.joints.keys()].filter((k) => needed[track.joints[k]]));
  return { track, entries, to: pose[kind] };
}

function readEntries({ track: { joints, size, values }, entries, to }: Reading, sample: number): void {
  const row = sample * joints.length * size;
  for (let k = 0; k < entries.length; k++) {
    const from = row + entries[k] * size;
    const o = joints[entries[k]] * size;
    for (let c = 0; c < size; c++) to[o + c] = values[from + c];
  }
}
