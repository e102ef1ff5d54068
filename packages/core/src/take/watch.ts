import { globalMatrices, type Pose, restPose } from '../rig/pose.js';
import { topologyOf } from '../rig/topology.js';
import type { Motion } from './reshape.js';
import type { Track } from './take.js';

/** The global transforms of a rig at a sample, 16 numbers a joint; the same array at each call. */
export type Watch = (sample: number) => Float64Array;

/**
 * Watches where some joints of a motion are, sample by sample. Only they and what they hang on are read and placed: numbers of other joints
 * mean nothing.
 */
export function watchJoints(motion: Motion, joints: Iterable<number>): Watch {
  const { rig } = motion;
  const { parents } = topologyOf(rig);
  const needed = new Uint8Array(parents.length);
  for (const joint of joints) for (let j = joint; j >= 0 && !needed[j]; j = parents[j]) needed[j] = 1;
  const runs = runsOf(needed);
  const pose = restPose(rig);
  const reads = (['translations', 'rotations', 'scales'] as const).map((kind) =>
    reading(motion[kind], needed, pose, kind),
  );
  const matrices = new Float64Array(16 * parents.length);
  return (sample) => {
    for (const read of reads) readEntries(read, sample);
    for (const [from, to] of runs) globalMatrices(rig, pose, matrices, from, to);
    return matrices;
  };
}

/** First joints of runs that are needed, and those behind their last. */
function runsOf(needed: Uint8Array): [number, number][] {
  const runs: [number, number][] = [];
  for (let j = 0; j < needed.length; j++) {
    if (!needed[j]) continue;
    const last = runs[runs.length - 1];
    if (last?.[1] === j) last[1] = j + 1;
    else runs.push([j, j + 1]);
  }
  return runs;
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
