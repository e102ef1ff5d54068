import { multiply, rotate, slerp } from '../math/quaternion.js';
import type { Joint, Rig } from '../rig/rig.js';
import { rootOf } from '../rig/topology.js';
import { cutFace } from './face-curve.js';
import type { UpAxis } from './making.js';
import type { Samples, Take, Track } from './take.js';

/** Samples with the skeleton on which they were recorded. */
export type Motion = Samples & Pick<Take, 'rig' | 'faceCurves'>;

/**
 * Samples on a skeleton. It is written out field by field: Node.js 20 gives every `{ ...samples, rig }` a hidden class of its own, and
 * what is read of such objects is compiled anew for each of them.
 */
export const motionOn = (
  rig: Rig,
  { count, interval, translations, rotations, scales, faces }: Samples,
  faceCurves?: Motion['faceCurves'],
): Motion => ({
  rig,
  count,
  interval,
  translations,
  rotations,
  scales,
  faces,
  ...(faceCurves && { faceCurves }),
});

/** A motion with other rotations of the joints that it records. */
export const withRotations = (motion: Motion, values: Float64Array): Motion => {
  const { rig, count, interval, translations, rotations, scales, faces, faceCurves } = motion;
  const turned: Track = { joints: rotations.joints, size: rotations.size, values };
  return motionOn(rig, { count, interval, translations, rotations: turned, scales, faces }, faceCurves);
};

/** What changes every track of a motion in the same way. */
const mapTracks = (motion: Motion, map: (track: Track) => Float64Array): Motion => {
  const mapped = (track: Track): Track => ({ joints: track.joints, size: track.size, values: map(track) });
  const { rig, count, interval, translations, rotations, scales, faces, faceCurves } = motion;
  const tracks = {
    count,
    interval,
    translations: mapped(translations),
    rotations: mapped(rotations),
    scales: mapped(scales),
    faces: mapped(faces),
  };
  return motionOn(rig, tracks, faceCurves);
};

/** Keeps samples `first` to `last`, both included, held within what is there. */
export function trimmed(motion: Motion, [first, last]: readonly [number, number]): Motion {
  const from = Math.max(0, Math.min(motion.count - 1, Math.round(first)));
  const to = Math.max(from, Math.min(motion.count - 1, Math.round(last)));
  const cut = mapTracks(motion, ({ values, size, joints }) => {
    const stride = size * joints.length;
    return values.slice(from * stride, (to + 1) * stride);
  });
  const { faceCurves, interval } = motion;
  return {
    ...cut,
    ...(faceCurves && {
      faceCurves: faceCurves.map((curve) => cutFace(curve, from * interval, to * interval)),
    }),
    count: to - from + 1,
  };
}

/** How much of a sample the end may be missed by: a frame time of .0083333 stands for 120 a second. */
const ROUNDED = 0.01;

/**
 * The same motion at another rate: sample `k` lies at time `k / rate`, as long as that is not past the end by more
 * than rates that are written with few digits miss, and is found between the two nearest samples, rotations by slerp.
 */
export function resampled(motion: Motion, rate: number): Motion {
  const step = 1 / (rate * motion.interval);
  const count = Math.floor((motion.count - 1) / step + ROUNDED) + 1;
  const changed = mapTracks(motion, ({ values, size, joints }) => {
    const stride = size * joints.length;
    const out = new Float64Array(count * stride);
    for (let k = 0; k < count; k++) {
      const at = Math.min(motion.count - 1, k * step);
      const s = Math.min(Math.floor(at + 1e-9), motion.count - 1);
      const u = Math.max(0, at - s);
      const next = Math.min(s + 1, motion.count - 1) * stride;
      for (let i = 0; i < stride; i += size) {
        if (size === 4) slerp(out, k * stride + i, values, s * stride + i, values, next + i, u);
        else
          for (let c = i; c < i + size; c++)
            out[k * stride + c] = (1 - u) * values[s * stride + c] + u * values[next + c];
      }
    }
    return out;
  });
  return { ...changed, count, interval: 1 / rate };
}

/** Multiplies all lengths, those of the skeleton too. */
export function scaledLengths(motion: Motion, by: number): Motion {
  const three = (v: readonly number[]) => v.map((value) => value * by) as unknown as Joint['translation'];
  return {
    ...motion,
    rig: mapJoints(motion.rig, (joint) => ({
      ...joint,
      translation: three(joint.translation),
      ends: joint.ends.map(three),
    })),
    translations: { ...motion.translations, values: motion.translations.values.map((value) => value * by) },
  };
}

const mapJoints = (rig: Rig, map: (joint: Joint, j: number) => Joint): Rig => ({
  ...rig,
  joints: rig.joints.map(map),
});

const h = Math.SQRT1_2;
/** The turn that brings each axis up: the two others stay right-handed. */
const UPRIGHT: Record<UpAxis, readonly number[]> = { x: [0, 0, h, h], y: [0, 0, 0, 1], z: [-h, 0, 0, h] };

/** Turns a motion whose given axis points up so that Y does: its root, at rest and in every sample. */
export function turnedUp(motion: Motion, up: UpAxis): Motion {
  if (up === 'y') return motion;
  const turn = [...UPRIGHT[up]];
  const root = rootOf(motion.rig);
  const rest = motion.rig.joints[root];
  const translation = [...rest.translation];
  const rotation = [...rest.rotation];
  rotate(translation, 0, turn, 0, translation, 0);
  multiply(rotation, 0, turn, 0, rotation, 0);
  const rooted = (track: Track, change: (values: Float64Array, o: number) => void): Track => {
    const entry = track.joints.indexOf(root);
    if (entry < 0) return track;
    const values = track.values.slice();
    for (let s = 0; s < motion.count; s++) change(values, track.size * (s * track.joints.length + entry));
    return { ...track, values };
  };
  return {
    ...motion,
    rig: mapJoints(motion.rig, (joint, j) =>
      j !== root
        ? joint
        : {
            ...joint,
            translation: translation as unknown as Joint['translation'],
            rotation: rotation as unknown as Joint['rotation'],
          },
    ),
    translations: rooted(motion.translations, (values, o) => rotate(values, o, turn, 0, values, o)),
    rotations: rooted(motion.rotations, (values, o) => multiply(values, o, turn, 0, values, o)),
  };
}
