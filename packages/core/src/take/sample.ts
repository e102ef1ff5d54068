import { type Pose, restPose } from '../rig/pose.js';
import type { Motion } from './reshape.js';
import type { Samples, Track } from './take.js';

/** Writes sample `s` of a motion into a pose of its rig; joints that it does not record keep what the pose has. */
export function readSample(motion: Samples, s: number, pose: Pose): void {
  for (const [track, to] of [
    [motion.translations, pose.translations],
    [motion.rotations, pose.rotations],
    [motion.scales, pose.scales],
  ] as const) {
    const { joints, size, values } = track;
    const row = s * joints.length * size;
    for (let k = 0; k < joints.length; k++)
      for (let c = 0; c < size; c++) to[joints[k] * size + c] = values[row + k * size + c];
  }
}

/** Samples with numbers of their own, which may be written to. */
export const copySamples = (samples: Samples): Samples => ({
  ...samples,
  translations: { ...samples.translations, values: samples.translations.values.slice() },
  rotations: { ...samples.rotations, values: samples.rotations.values.slice() },
  scales: { ...samples.scales, values: samples.scales.values.slice() },
});

/** The same motion with every joint recorded: those that were not rest. */
export function everyJoint(motion: Motion): Motion {
  const n = motion.rig.joints.length;
  const joints = Int32Array.from({ length: n }, (_, j) => j);
  const room = (size: 3 | 4): Track => ({ joints, size, values: new Float64Array(motion.count * n * size) });
  const full = { ...motion, translations: room(3), rotations: room(4), scales: room(3) };
  const pose = restPose(motion.rig);
  for (let s = 0; s < motion.count; s++) {
    readSample(motion, s, pose);
    full.translations.values.set(pose.translations, 3 * n * s);
    full.rotations.values.set(pose.rotations, 4 * n * s);
    full.scales.values.set(pose.scales, 3 * n * s);
  }
  return full;
}

/** The samples of some joints alone. */
export function ofJoints(samples: Samples, joints: ReadonlySet<number>): Samples {
  const track = ({ joints: all, size, values }: Track): Track => {
    const kept = [...all.keys()].filter((k) => joints.has(all[k]));
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
  };
}
