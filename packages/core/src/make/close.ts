import { multiply, multiplyInverse } from '../math/quaternion.js';
import { fromRotationVector, toRotationVector } from '../math/rotation-vector.js';
import { evenFace } from '../take/face-curve.js';
import type { Closing } from '../take/making.js';
import type { Motion } from '../take/reshape.js';
import type { Track } from '../take/take.js';

/**
 * Closes a motion over a cycle of samples: the last `over` samples of the cycle are led, by a cubic Hermite curve, to
 * where the cycle begins, so that its last sample is its first one and the step over the seam is the step with which it
 * begins. With `travel` the root keeps its way, and only its pace is made to agree. Samples after the cycle go on from there.
 */
export function closedMotion(motion: Motion, closing: Closing): Motion {
  const to = Math.min(motion.count - 1, closing.to);
  const from = Math.min(to, closing.from);
  const over = Math.min(to - from, closing.over);
  if (over < 1) return motion;
  const close = (track: Track): Track => ({
    ...track,
    values: closedTrack(motion, track, { ...closing, from, to, over }),
  });
  const { faceCurves, count, interval } = motion;
  return {
    ...motion,
    translations: close(motion.translations),
    rotations: close(motion.rotations),
    scales: close(motion.scales),
    ...(faceCurves && {
      faceCurves: faceCurves.map((curve) => {
        const even = evenFace(curve, count, interval);
        return { ...even, values: close({ joints: Int32Array.of(0), size: 1, values: even.values }).values };
      }),
    }),
  };
}

function closedTrack(motion: Motion, track: Track, { from, to, over, travel }: Closing): Float64Array {
  const { size, joints } = track;
  const stride = size * joints.length;
  const values = track.values.slice();
  for (const [entry, joint] of joints.entries()) {
    const at = (sample: number) => sample * stride + entry * size;
    const keepsWay = Boolean(travel) && track === motion.translations && motion.rig.joints[joint].parent < 0;
    const { end, before } =
      size === 4
        ? missingTurns(track.values, at(from), at(to), stride)
        : missingWays(track.values, at(from), at(to), stride, size, keepsWay);
    // o(0) = o'(0) = 0, o(1) = `end`, o(1 - 1/over) = `before`; a single sample has no step of its own.
    const u = 1 - 1 / over;
    const slope = end.map((value, axis) =>
      over > 1 ? (before[axis] - value * u * u * (3 - 2 * u)) / (u * u * u - u * u) : 0,
    );
    for (let s = to - over + 1; s < motion.count; s++) {
      const t = Math.min(1, (s - (to - over)) / over);
      const off = end.map((value, axis) => value * t * t * (3 - 2 * t) + slope[axis] * (t * t * t - t * t));
      if (size === 4) {
        fromRotationVector(turn, 0, off, 0);
        multiply(values, at(s), track.values, at(s), turn, 0);
      } else for (let axis = 0; axis < size; axis++) values[at(s) + axis] += off[axis];
    }
    // To the bit, so that the seam cannot be seen by any measure.
    if (!keepsWay) values.copyWithin(at(to), at(from), at(from) + size);
  }
  return values;
}

const turn = new Float64Array(4);
const wanted = new Float64Array(4);

/** What the last sample of a cycle, and the one before it, have to be turned by, as rotation vectors on their right. */
function missingTurns(q: Float64Array, from: number, to: number, stride: number) {
  const end = [0, 0, 0];
  const before = [0, 0, 0];
  multiplyInverse(turn, 0, q, to, q, from);
  toRotationVector(end, 0, turn, 0);
  // One step before the first sample: the step that it begins with, taken back.
  multiplyInverse(turn, 0, q, from + stride, q, from);
  multiply(wanted, 0, q, from, turn, 0);
  multiplyInverse(turn, 0, q, to - stride, wanted, 0);
  toRotationVector(before, 0, turn, 0);
  return { end, before };
}

/** What they have to be moved by; where the way is kept, the last one stays. */
function missingWays(
  v: Float64Array,
  from: number,
  to: number,
  stride: number,
  size: number,
  keepsWay: boolean,
) {
  const axes = Array.from({ length: size }, (_, axis) => axis);
  const end = axes.map((axis) => (keepsWay ? 0 : v[from + axis] - v[to + axis]));
  const before = axes.map((axis) => {
    const step = v[from + stride + axis] - v[from + axis];
    return v[to + axis] + end[axis] - step - v[to - stride + axis];
  });
  return { end, before };
}
