import { slerp } from '../math/quaternion.js';
import type { Samples, Track } from '../take/take.js';

/** Numbers a part of a step behind each step but the last: on straight lines, quaternions by slerp. `stride` numbers a step. */
export function valuesBetween(
  values: Float64Array,
  size: number,
  stride: number,
  part: number,
): Float64Array {
  const out = new Float64Array(values.length - stride);
  if (size === 4) for (let o = 0; o < out.length; o += 4) slerp(out, o, values, o, values, o + stride, part);
  else for (let i = 0; i < out.length; i++) out[i] = (1 - part) * values[i] + part * values[i + stride];
  return out;
}

/** A motion as it is a part of a sample behind each sample but the last, as a file with every sample gives it. */
export function samplesBetween(samples: Samples, part: number): Samples {
  const track = ({ joints, size, values }: Track): Track => ({
    joints,
    size,
    values: valuesBetween(values, size, size * joints.length, part),
  });
  return {
    count: samples.count - 1,
    interval: samples.interval,
    translations: track(samples.translations),
    rotations: track(samples.rotations),
    scales: track(samples.scales),
    faces: track(samples.faces),
  };
}
