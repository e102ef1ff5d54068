import { angleBetween } from '../math/quaternion.js';
import { globalMatrices, globalOrientations, type Pose } from '../rig/pose.js';
import { subtreeEnds } from '../rig/rig.js';
import type { Samples } from '../take/take.js';
import type { Places, VisitErrors } from './whole-pose.js';

/** How far a motion is off in the whole pose while it changes: what did not change since it was looked at is not worked out again. */
export interface PoseErrors {
  /** What a joint has at a sample is another one. */
  readonly change: (joint: number, s: number) => void;
  /** Goes through all samples, or those with a mark; what is given holds until the next call. */
  readonly visit: (visit: VisitErrors, marks?: Uint8Array) => void;
}

/** Measures samples that hold every joint of the rig, in its order, against the places of others. The samples are looked at as they are at each visit. */
export function poseErrors(places: Places, samples: Samples): PoseErrors {
  const { rig, owners, offsets, count } = places;
  const n = rig.joints.length;
  const P = owners.length;
  const ends = subtreeEnds(rig);
  const changed = new Uint8Array(n * count).fill(1);
  const parts = <A extends Float64Array>(all: A, size: number) =>
    Array.from({ length: count }, (_, s) => all.subarray(size * s, size * (s + 1)));
  const matrices = parts(new Float64Array(16 * n * count), 16 * n);
  const orientations = parts(new Float64Array(4 * n * count), 4 * n);
  const lengths = parts(new Float64Array(P * count), P);
  const angles = parts(new Float64Array(n * count), n);
  const translations = parts(samples.translations.values, 3 * n);
  const rotations = parts(samples.rotations.values, 4 * n);
  const scales = parts(samples.scales.values, 3 * n);
  const none = new Float64Array(0);
  const poses = Array.from(
    { length: count },
    (_, s): Pose => ({
      translations: translations[s],
      rotations: rotations[s],
      scales: scales[s],
      faces: none,
    }),
  );

  /** Works out where joints from one up to another, and what stands on them, are at a sample. */
  const look = (s: number, from: number, to: number): void => {
    const own = matrices[s];
    globalMatrices(rig, poses[s], own, from, to);
    globalOrientations(rig, poses[s], orientations[s], from, to);
    const off = lengths[s];
    const row = 3 * P * s;
    for (let j = from; j < to; j++) {
      off[j] = distance(own, 16 * j + 12, places.points, row + 3 * j);
      angles[s][j] = angleBetween(orientations[s], 4 * j, places.orientations, 4 * (n * s + j));
    }
    for (let p = n; p < P; p++) {
      if (owners[p] < from || owners[p] >= to) continue;
      const m = 16 * owners[p];
      const [x, y, z] = [offsets[3 * p], offsets[3 * p + 1], offsets[3 * p + 2]];
      for (let axis = 0; axis < 3; axis++)
        point[axis] = own[m + axis] * x + own[m + 4 + axis] * y + own[m + 8 + axis] * z + own[m + 12 + axis];
      off[p] = distance(point, 0, places.points, row + 3 * p);
    }
  };

  return {
    change(joint, s) {
      changed[n * s + joint] = 1;
    },
    visit(visit, marks) {
      for (let s = 0; s < count; s++) {
        if (marks && marks[s] === 0) continue;
        for (let j = 0; j < n; ) {
          if (changed[n * s + j] === 0) {
            j++;
            continue;
          }
          look(s, j, ends[j]);
          j = ends[j];
        }
        changed.fill(0, n * s, n * (s + 1));
        visit(s, lengths[s], angles[s]);
      }
    },
  };
}

const point = new Float64Array(3);

const distance = (a: Float64Array, i: number, b: Float64Array, j: number): number => {
  const x = a[i] - b[j];
  const y = a[i + 1] - b[j + 1];
  const z = a[i + 2] - b[j + 2];
  return Math.sqrt(x * x + y * y + z * z);
};
