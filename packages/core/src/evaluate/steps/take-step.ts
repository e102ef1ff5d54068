import type { Reference } from '../../layer/content.js';
import type { OwnTime } from '../../layer/time.js';
import { type Pose, restPose } from '../../rig/pose.js';
import type { Rig } from '../../rig/rig.js';
import { type FaceSpot, faceAt, newFaceSpot } from '../../take/face-curve.js';
import { type FaceRows, faceRowsOf } from '../../take/face-rows.js';
import { faceEntries, type Take, type Track, trackEntries } from '../../take/take.js';
import { locateSample, newSampleSpot, readTrack, type SampleSpot } from '../sample.js';

/** Blends what a take brings to the joints of a rig: for each joint the entry of its samples, or -1. */
export interface TakeStep {
  readonly kind: 'take';
  readonly take: Take;
  /** The character that plays it. */
  readonly character: number;
  readonly translation: Int32Array;
  readonly rotation: Int32Array;
  readonly scale: Int32Array;
  /** For each face channel of the rig the index of its curve in the take, or -1. */
  readonly face: Int32Array;
  /** What the take records of the face channels that the layer touches. */
  readonly faces: readonly TakeFaces[];
  /** Frames of the project a second. */
  readonly fps: number;
  /** Whether the take records the rotation of every joint, in the rig's order. */
  readonly aligned: boolean;
  /** Of the joints that the layer touches those that the take moves or scales, by their order there. */
  readonly moving: Int32Array;
  /** The sample that an additive layer measures its change from, or the rest pose; and that pose in full. */
  readonly origin: number | 'rest';
  readonly reference: Pose;
  /** What each joint gains in translation over a cycle that travels, 3 numbers each; 0 for all but roots. */
  readonly gain: Float64Array;
  /** Room for the samples at the frame that is evaluated. */
  readonly spot: SampleSpot;
}

/** Face channels that a take keys together. */
export interface TakeFaces {
  readonly rows: FaceRows;
  /** Which of the touched face channels they are, by their order there, and the column of each. */
  readonly touched: Int32Array;
  readonly columns: Int32Array;
  /** Room for where the rows are read. */
  readonly spot: FaceSpot;
  /** Whether channels, touched ones and columns run along side by side. */
  readonly dense: boolean;
}

/** The face channels that a layer touches, by what its take keys together. */
export const facesOfTake = (
  { take, face }: Pick<TakeStep, 'take' | 'face'>,
  touched: readonly number[],
): TakeFaces[] =>
  faceRowsOf(take.faceCurves ?? []).flatMap((rows) => {
    const own = touched.flatMap((f, i) => {
      const column = rows.curves.indexOf(face[f]);
      return column < 0 ? [] : [[i, column]];
    });
    if (own.length === 0) return [];
    return {
      rows,
      touched: Int32Array.from(own, ([i]) => i),
      columns: Int32Array.from(own, ([, column]) => column),
      spot: newFaceSpot(),
      dense: own.every(
        ([i, column], k) => column === k && i === own[0][0] + k && touched[i] === touched[own[0][0]] + k,
      ),
    };
  });

/**
 * Makes ready what a take brings to a rig, as a change from `reference` where its layer is additive. `moving` and `faces` are for
 * the layer to say, once it is known what it touches.
 */
export function takeStep(
  reference: Reference,
  take: Take,
  character: number,
  rig: Rig,
  time: OwnTime,
  fps: number,
): Omit<TakeStep, 'moving' | 'faces'> {
  const origin = reference === 'first' ? 0 : reference;
  const translation = trackEntries(rig, take.rig, take.translations, character);
  const scale = trackEntries(rig, take.rig, take.scales, character);
  const rotation = trackEntries(rig, take.rig, take.rotations, character);
  const face = faceEntries(rig, take, character);
  const sample = origin === 'rest' ? origin : Math.min(origin, take.count - 1);
  const gain = new Float64Array(3 * rig.joints.length);
  for (const [j, { parent }] of rig.joints.entries()) {
    if (parent >= 0 || time.loop !== 'travel' || translation[j] < 0) continue;
    const spot = newSampleSpot(take, fps);
    const value = (frame: number) => {
      const out = new Float64Array(3);
      locateSample(take, [frame], 0, spot);
      readTrack(take.translations, translation[j], spot, out);
      return out;
    };
    const from = value(time.start);
    const to = value(time.start + time.length);
    for (let axis = 0; axis < 3; axis++) gain[3 * j + axis] = to[axis] - from[axis];
  }
  return {
    kind: 'take',
    take,
    character,
    translation,
    rotation,
    scale,
    face,
    fps,
    aligned: take.rotations.joints.length === rig.joints.length && rotation.every((entry, j) => entry === j),
    origin: sample,
    reference: referencePose(rig, take, sample, { translation, rotation, scale, face }),
    gain,
    spot: newSampleSpot(take, fps),
  };
}

/** The pose that an additive take is a change from, for every joint that the take records. */
function referencePose(
  rig: Rig,
  take: Take,
  origin: number | 'rest',
  entries: Pick<TakeStep, 'translation' | 'rotation' | 'scale' | 'face'>,
): Pose {
  const pose = restPose(rig);
  if (origin === 'rest') return pose;
  const copy = (track: Track, of: Int32Array, to: Float64Array) => {
    const row = origin * track.joints.length;
    for (const [j, entry] of of.entries()) {
      if (entry < 0) continue;
      const from = track.size * (row + entry);
      to.set(track.values.subarray(from, from + track.size), track.size * j);
    }
  };
  for (const [f, entry] of entries.face.entries())
    if (entry >= 0) pose.faces[f] = faceAt(take.faceCurves![entry], origin * take.interval);
  copy(take.translations, entries.translation, pose.translations);
  copy(take.rotations, entries.rotation, pose.rotations);
  copy(take.scales, entries.scale, pose.scales);
  return pose;
}
