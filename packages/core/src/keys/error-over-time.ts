import type { Parts } from '../rig/parts.js';
import type { Rig } from '../rig/rig.js';
import { copySamples } from '../take/sample.js';
import type { Samples } from '../take/take.js';
import type { MotionKeys } from './keys-from-samples.js';
import { writeSpline } from './spline.js';
import { putTrack, tracksOf } from './tracks.js';
import { errorsFrom, lookAt, placesOf } from './whole-pose.js';

/** How far a joint, or an end site of it, is off over time. */
export interface JointError {
  readonly joint: number;
  /** The largest of each stretch of samples, in units of the rig. */
  readonly lengths: Float32Array;
}

/** The errors of the joints that are off by the most, over time that is cut into stretches of samples. */
export interface ErrorOverTime {
  /** Samples of a stretch. */
  readonly stretch: number;
  readonly joints: readonly JointError[];
}

/** The motion of keys at the samples that they were made of; what they do not key is as in those. */
export function samplesOfKeys(rig: Rig, samples: Samples, { tracks, space }: MotionKeys): Samples {
  const made = copySamples(samples);
  for (const { member, kind, spline } of tracks) {
    const [track] = tracksOf(rig, samples, space, [{ member, kind }]);
    const fit = new Float64Array(track.values.length);
    writeSpline(spline, fit);
    putTrack(rig, track, fit, made);
  }
  return made;
}

/** Finds how far keys are off over time, for the worst joint of each of the parts that are off by the most, in so many stretches at most. */
export function errorOverTime(
  rig: Rig,
  parts: Parts,
  samples: Samples,
  keys: MotionKeys,
  joints: number,
  stretches: number,
): ErrorOverTime {
  const places = placesOf(rig, samples);
  const stretch = Math.max(1, Math.ceil(samples.count / stretches));
  const count = Math.ceil(samples.count / stretch);
  const all = rig.joints.map(() => new Float32Array(count));
  const errors = errorsFrom(places, samplesOfKeys(rig, samples, keys));
  for (let s = 0; s < places.count; s++) {
    lookAt(errors, s);
    const at = Math.floor(s / stretch);
    for (const [p, length] of errors.lengths.entries()) {
      const own = all[places.owners[p]];
      own[at] = Math.max(own[at], length);
    }
  }
  const most = all.map((lengths, joint) => ({
    joint,
    lengths,
    peak: lengths.reduce((a, b) => Math.max(a, b), 0),
  }));
  most.sort((a, b) => b.peak - a.peak);
  const worst = most.filter(
    ({ joint }, k) => most.findIndex((one) => parts[one.joint] === parts[joint]) === k,
  );
  return { stretch, joints: worst.slice(0, joints).map(({ joint, lengths }) => ({ joint, lengths })) };
}
