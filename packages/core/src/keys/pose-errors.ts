import { measureAngle } from '../math/quaternion.js';
import { globalMatrices, globalOrientations, type Pose } from '../rig/pose.js';
import { subtreeEnds } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import type { Places } from './whole-pose.js';

/** How far a motion is off in the whole pose while it changes: what did not change since it was looked at is not worked out again. */
export interface PoseErrors {
  readonly places: Places;
  /** By sample: its pose, where its joints are, and how far each point and each orientation (in radians) is off. */
  readonly poses: readonly Pose[];
  readonly matrices: readonly Float64Array[];
  readonly orientations: readonly Float64Array[];
  readonly lengths: readonly Float64Array[];
  readonly angles: readonly Float64Array[];
  /** Whether what a joint has at a sample is another one since it was looked at, sample after sample. */
  readonly changed: Uint8Array;
  /** For each joint the end of what hangs on it. */
  readonly ends: ArrayLike<number>;
}

/** Measures samples that hold every joint of the rig, in its order, against the places of others. The samples are looked at as they are at each {@link refresh}. */
export function poseErrors(places: Places, samples: Samples): PoseErrors {
  const { rig, owners, count } = places;
  const n = rig.joints.length;
  const P = owners.length;
  const parts = <A extends Float64Array>(all: A, size: number) =>
    Array.from({ length: count }, (_, s) => all.subarray(size * s, size * (s + 1)));
  const translations = parts(samples.translations.values, 3 * n);
  const rotations = parts(samples.rotations.values, 4 * n);
  const scales = parts(samples.scales.values, 3 * n);
  const none = new Float64Array(0);
  return {
    places,
    poses: Array.from(
      { length: count },
      (_, s): Pose => ({
        translations: translations[s],
        rotations: rotations[s],
        scales: scales[s],
        faces: none,
      }),
    ),
    matrices: parts(new Float64Array(16 * n * count), 16 * n),
    orientations: parts(new Float64Array(4 * n * count), 4 * n),
    lengths: parts(new Float64Array(P * count), P),
    angles: parts(new Float64Array(n * count), n),
    changed: new Uint8Array(n * count).fill(1),
    ends: subtreeEnds(rig),
  };
}

/** Works out how far a sample is off, as far as it has changed. */
export function refresh(errors: PoseErrors, s: number): void {
  const { changed, ends } = errors;
  const n = ends.length;
  const row = n * s;
  for (let j = 0; j < n; ) {
    if (changed[row + j] === 0) {
      j++;
      continue;
    }
    look(errors, s, j, ends[j]);
    j = ends[j];
  }
  changed.fill(0, row, row + n);
}

/** Works out where joints from one up to another, and what stands on them, are at a sample. */
function look(errors: PoseErrors, s: number, from: number, to: number): void {
  const { rig, owners, offsets, points, orientations: wanted } = errors.places;
  const n = rig.joints.length;
  const P = owners.length;
  const matrices = errors.matrices[s];
  const orientations = errors.orientations[s];
  const lengths = errors.lengths[s];
  const angles = errors.angles[s];
  globalMatrices(rig, errors.poses[s], matrices, from, to);
  globalOrientations(rig, errors.poses[s], orientations, from, to);
  const row = 3 * P * s;
  for (let j = from; j < to; j++) {
    const m = 16 * j + 12;
    writeDistance(matrices[m], matrices[m + 1], matrices[m + 2], points, row + 3 * j, lengths, j);
    measureAngle(orientations, 4 * j, wanted, 4 * (n * s + j), angles, j);
  }
  for (let p = n; p < P; p++) {
    const owner = owners[p];
    if (owner < from || owner >= to) continue;
    const m = 16 * owner;
    const x = offsets[3 * p];
    const y = offsets[3 * p + 1];
    const z = offsets[3 * p + 2];
    writeDistance(
      matrices[m] * x + matrices[m + 4] * y + matrices[m + 8] * z + matrices[m + 12],
      matrices[m + 1] * x + matrices[m + 5] * y + matrices[m + 9] * z + matrices[m + 13],
      matrices[m + 2] * x + matrices[m + 6] * y + matrices[m + 10] * z + matrices[m + 14],
      points,
      row + 3 * p,
      lengths,
      p,
    );
  }
}

function writeDistance(
  x: number,
  y: number,
  z: number,
  from: Float64Array,
  i: number,
  out: Float64Array,
  o: number,
): void {
  const a = x - from[i];
  const b = y - from[i + 1];
  const c = z - from[i + 2];
  out[o] = Math.sqrt(a * a + b * b + c * c);
}
