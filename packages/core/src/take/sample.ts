import { facesOf } from '../rig/members.js';
import { type Pose, restPose } from '../rig/pose.js';
import type { Rig } from '../rig/rig.js';
import { evenFace } from './face-curve.js';
import type { Motion } from './reshape.js';
import { faceEntries, type Samples, type Track, type TrackSize } from './take.js';

/** Writes sample `s` of a motion into a pose of its rig; what it does not record keeps what the pose has. */
export function readSample(motion: Samples, s: number, pose: Pose): void {
  readRow(motion.translations, s, pose.translations);
  readRow(motion.rotations, s, pose.rotations);
  readRow(motion.scales, s, pose.scales);
  readRow(motion.faces, s, pose.faces);
}

function readRow({ joints, size, values }: Track, s: number, to: Float64Array): void {
  let from = s * joints.length * size;
  for (let k = 0; k < joints.length; k++) {
    const o = joints[k] * size;
    for (let c = 0; c < size; c++) to[o + c] = values[from++];
  }
}

/** Writes what a pose has of the joints of a track into its sample `s`. */
export function writeRow({ joints, size, values }: Track, s: number, from: Float64Array): void {
  let to = s * joints.length * size;
  for (let k = 0; k < joints.length; k++) {
    const o = joints[k] * size;
    for (let c = 0; c < size; c++) values[to++] = from[o + c];
  }
}

const copyTrack = ({ joints, size, values }: Track): Track => ({ joints, size, values: values.slice() });

/** Samples with numbers of their own, which may be written to. */
export const copySamples = ({
  count,
  interval,
  translations,
  rotations,
  scales,
  faces,
}: Samples): Samples => ({
  count,
  interval,
  translations: copyTrack(translations),
  rotations: copyTrack(rotations),
  scales: copyTrack(scales),
  faces: copyTrack(faces),
});

/** The same motion with every joint and face channel recorded: those that were not rest. */
export function everyMember(motion: Motion): Motion {
  const sampled = withSampledFaces(motion);
  const { rig, count, interval } = sampled;
  const track = (size: TrackSize, entries = rig.joints.length): Track => ({
    joints: Int32Array.from({ length: entries }, (_, j) => j),
    size,
    values: new Float64Array(count * entries * size),
  });
  const full = {
    rig,
    count,
    interval,
    translations: track(3),
    rotations: track(4),
    scales: track(3),
    faces: track(1, facesOf(rig).length),
  };
  const pose = restPose(rig);
  for (let s = 0; s < count; s++) {
    readSample(sampled, s, pose);
    for (const kind of ['translations', 'rotations', 'scales', 'faces'] as const)
      full[kind].values.set(pose[kind], pose[kind].length * s);
  }
  return full;
}

/** A motion whose face channels are sampled with all else, in place of curves; what it does not record it does not have. */
export function withSampledFaces(motion: Motion): Motion {
  const { faceCurves = [], faces, ...rest } = motion;
  const { rig, count, interval } = motion;
  if (faces.joints.length > 0) return { ...rest, faces };
  const recorded = [...faceEntries(rig, motion).entries()].filter(([, entry]) => entry >= 0);
  const values = new Float64Array(count * recorded.length);
  for (const [k, [, entry]] of recorded.entries()) {
    const own = evenFace(faceCurves[entry], count, interval).values;
    for (let s = 0; s < count; s++) values[s * recorded.length + k] = own[s];
  }
  return { ...rest, faces: { joints: Int32Array.from(recorded, ([f]) => f), size: 1, values } };
}

/** The samples of some joints and face channels alone, by their index among the `joints` of a rig and the channels behind them. */
export function ofMembers(
  samples: Samples,
  { length: n }: Rig['joints'],
  members: ReadonlySet<number>,
): Samples {
  const track = ({ joints: all, size, values }: Track, first = 0): Track => {
    const kept = [...all.keys()].filter((k) => members.has(first + all[k]));
    const out = new Float64Array(size * kept.length * samples.count);
    for (let s = 0; s < samples.count; s++)
      for (const [k, entry] of kept.entries()) {
        const from = size * (s * all.length + entry);
        out.set(values.subarray(from, from + size), size * (s * kept.length + k));
      }
    return { joints: Int32Array.from(kept, (k) => all[k]), size, values: out };
  };
  return {
    ...samples,
    translations: track(samples.translations),
    rotations: track(samples.rotations),
    scales: track(samples.scales),
    faces: track(samples.faces, n),
  };
}
