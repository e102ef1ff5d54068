import type { Numbers } from '../math/numbers.js';
import { slerpBy } from '../math/quaternion.js';
import type { Samples, Track } from '../take/take.js';

/** Between which samples a time lies: `u[0]` of the way from sample `s` to the next; on `s` itself where it is 0. */
export interface SampleSpot {
  s: number;
  readonly u: Float64Array;
  /** Frames from one sample to the next. */
  readonly step: Float64Array;
}

/** Room for a spot among samples, for frames that are counted at `fps`. */
export const newSampleSpot = (samples: Samples, fps: number): SampleSpot => ({
  s: 0,
  u: new Float64Array(1),
  step: Float64Array.of(samples.interval * fps),
});

/** What {@link locateSample} found last: for which frame and step, between which samples. */
const last = Float64Array.of(Number.NaN, Number.NaN, 0, 0);

/** Finds the samples around the frame `frames[f]`. Before the first and after the last, the end sample holds. */
export function locateSample(samples: Samples, frames: Numbers, f: number, out: SampleSpot): void {
  // Layers that play takes of one rate in their own time share the spot.
  if (frames[f] === last[0] && out.step[0] === last[1] && last[2] + 1 < samples.count) {
    out.s = last[2] | 0;
    out.u[0] = last[3];
    return;
  }
  const position = Math.min(samples.count - 1, Math.max(0, frames[f] / out.step[0]));
  let s = Math.trunc(position);
  let u = position - s;
  // A frame that falls on a sample up to rounding reads that sample alone.
  if (u > 1 - 1e-9) {
    s++;
    u = 0;
  } else if (u < 1e-9) u = 0;
  out.s = s;
  out.u[0] = u;
  // A spot that was held at the last sample is that of this take alone.
  last[0] = s + 1 < samples.count ? frames[f] : Number.NaN;
  last[1] = out.step[0];
  last[2] = s;
  last[3] = u;
}

/** Reads one entry of a track at a spot into `out`: straight between samples, rotations by slerp. */
export function readTrack(track: Track, entry: number, spot: SampleSpot, out: Float64Array): void {
  const { values, size } = track;
  const stride = size * track.joints.length;
  const a = spot.s * stride + entry * size;
  const u = spot.u[0];
  if (u === 0) {
    for (let k = 0; k < size; k++) out[k] = values[a + k];
  } else if (size === 4) {
    slerpBy(out, 0, values, a, values, a + stride, spot.u, 0);
  } else {
    const b = a + stride;
    out[0] = (1 - u) * values[a] + u * values[b];
    out[1] = (1 - u) * values[a + 1] + u * values[b + 1];
    out[2] = (1 - u) * values[a + 2] + u * values[b + 2];
  }
}
