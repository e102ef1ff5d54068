import { eulerToQuaternion, quaternionToEuler, unwindEuler } from '../math/euler.js';
import { multiply, multiplyInverse, normalize } from '../math/quaternion.js';
import { faceOf, facesOf } from '../rig/members.js';
import type { Rig } from '../rig/rig.js';
import type { Samples } from '../take/take.js';

/** The numbers in which rotations are keyed: angles in the joint's Euler order, or quaternions. */
export type TurnSpace = 'euler' | 'quaternion';

export const TRACK_KINDS = ['translations', 'rotations', 'scales', 'faces'] as const;
export type TrackKind = (typeof TRACK_KINDS)[number];

/**
 * What is keyed at the same times: the rotation, translation or scale of one joint, or a face channel, as numbers that run on
 * from sample to sample.
 */
export interface KeyTrack {
  /** Index of the joint or face channel among the members of the rig. */
  readonly member: number;
  readonly kind: TrackKind;
  /** Numbers a sample: 3, 4 for quaternions, 1 for a face channel. */
  readonly size: number;
  /** Sample after sample; angles in radians without needless full turns, quaternions without changes of sign. */
  readonly values: Float64Array;
  /** Where the values are changes: the local numbers below them, quaternions for a rotation. */
  readonly below?: Float64Array;
}

/** Puts a track together, field by field: tracks share a hidden class (see `withMore` in `record.ts`). */
const trackWith = (
  member: number,
  kind: TrackKind,
  size: number,
  values: Float64Array,
  below: Float64Array | undefined,
): KeyTrack => (below ? { member, kind, size, values, below } : { member, kind, size, values });

/** The same track with other values, and what is below them. */
export const withValues = (
  { member, kind, size }: KeyTrack,
  values: Float64Array,
  below: Float64Array | undefined,
): KeyTrack => trackWith(member, kind, size, values, below);

/** Names a track. */
export type TrackName = Pick<KeyTrack, 'member' | 'kind'>;

/** By joint the numbers of its rotation at the sample with which the samples before these ended. */
export type Seams = Map<number, Float64Array>;

/**
 * The tracks of samples that hold every joint of the rig. Of angles, the two triples that mean the same and their full turns,
 * those are taken that are nearest to the sample before, at first nearest to zero. With `below` the tracks are the changes
 * from those samples, in the joint's own axes. Of samples that come part after part, each of which begins with the last of the
 * one before, `seams` lets rotations run on; it is written to.
 */
export const tracksOf = (
  rig: Rig,
  samples: Samples,
  space: TurnSpace,
  names: readonly TrackName[],
  below?: Samples,
  seams: Seams = new Map(),
): KeyTrack[] =>
  names.map((name): KeyTrack => {
    const { member, kind } = name;
    const values = below ? changesOf(samples, below, name) : numbersOf(samples, name);
    const under = below && numbersOf(below, name);
    if (kind !== 'rotations') return trackWith(member, kind, kind === 'faces' ? 1 : 3, values, under);
    const seam = seams.get(member);
    const turns =
      space === 'quaternion' ? withoutFlips(values, seam) : anglesOf(values, rig.joints[member].order, seam);
    const size = space === 'quaternion' ? 4 : 3;
    seams.set(member, turns.slice(-size));
    return trackWith(member, kind, size, turns, under);
  });

/** What brings the local numbers of a member below to those above: `q_below⁻¹ · q`, quotients of scales, differences of all others. */
export function changesOf(after: Samples, below: Samples, name: TrackName): Float64Array {
  const { kind } = name;
  const out = numbersOf(after, name);
  const from = numbersOf(below, name);
  if (kind === 'rotations') for (let o = 0; o < out.length; o += 4) multiplyInverse(out, o, from, o, out, o);
  else if (kind === 'scales') for (let i = 0; i < out.length; i++) out[i] /= Math.max(LEAST_SCALE, from[i]);
  else for (let i = 0; i < out.length; i++) out[i] -= from[i];
  return out;
}

/** Scales are held at this where they are divided by. */
const LEAST_SCALE = 1e-6;

/** What a member has at rest, of a kind of track. */
export function restOf(rig: Rig, { member, kind }: TrackName): readonly number[] {
  if (kind === 'faces') return [faceOf(rig, member).rest];
  const { translation, rotation, scale } = rig.joints[member];
  return { translations: translation, rotations: rotation, scales: scale }[kind];
}

/** The tracks that a motion needs: every rotation, and whatever else ever leaves rest, as far as 32 bits can tell. */
export function neededTracks(rig: Rig, samples: Samples): TrackName[] {
  return tracksOfRig(rig).filter(
    (name) => name.kind === 'rotations' || departs(samples, name, restOf(rig, name)),
  );
}

/** Whether a member is ever elsewhere than at rest. */
function departs(samples: Samples, name: TrackName, rest: readonly number[]): boolean {
  const { values, size, joints } = samples[name.kind];
  for (let o = size * entryIn(samples, name); o < values.length; o += size * joints.length)
    for (let c = 0; c < size; c++) if (Math.fround(values[o + c]) !== Math.fround(rest[c])) return true;
  return false;
}

/** Every track that a rig can have: three for each joint, one for each face channel. */
export const tracksOfRig = (rig: Rig): TrackName[] => [
  ...rig.joints.flatMap((_, member) =>
    (['rotations', 'translations', 'scales'] as const).map((kind) => ({ member, kind })),
  ),
  ...facesOf(rig).map((_, f) => ({ member: rig.joints.length + f, kind: 'faces' as const })),
];

/** Numbers of a member in samples. */
const SIZES: Record<TrackKind, number> = { translations: 3, rotations: 4, scales: 3, faces: 1 };

/** Where a member stands in samples that hold every member. */
const entryIn = (samples: Samples, { member, kind }: TrackName): number =>
  kind === 'faces' ? member - samples.rotations.joints.length : member;

/** The numbers of a member in samples that hold every member, sample after sample. */
export function numbersOf(samples: Samples, name: TrackName): Float64Array {
  const { values, size, joints } = samples[name.kind];
  const entry = entryIn(samples, name);
  const out = new Float64Array(size * samples.count);
  for (let s = 0; s < samples.count; s++) {
    const from = size * (s * joints.length + entry);
    for (let c = 0; c < size; c++) out[s * size + c] = values[from + c];
  }
  return out;
}

/** Quaternions without changes of sign, the first as it is in `seam`, where that is given. */
function withoutFlips(q: Float64Array, seam: Float64Array | undefined): Float64Array {
  for (let o = 0; o < q.length; o += 4) {
    normalize(q, o);
    if (o === 0) {
      if (seam) q.set(seam);
      continue;
    }
    const dot = q[o] * q[o - 4] + q[o + 1] * q[o - 3] + q[o + 2] * q[o - 2] + q[o + 3] * q[o - 1];
    if (dot < 0) for (let c = o; c < o + 4; c++) q[c] = -q[c];
  }
  return q;
}

/** Angles without needless full turns, the first as they are in `seam`, where that is given. */
function anglesOf(
  q: Float64Array,
  order: Rig['joints'][number]['order'],
  seam: Float64Array | undefined,
): Float64Array {
  const count = q.length / 4;
  const angles = new Float64Array(3 * count);
  const before = new Float64Array(3);
  for (let s = 0; s < count; s++) {
    if (s === 0 && seam) angles.set(seam);
    else {
      quaternionToEuler(angles, 3 * s, order, q, 4 * s);
      unwindEuler(angles, 3 * s, order, before, 0);
    }
    before.set(angles.subarray(3 * s, 3 * s + 3));
  }
  return angles;
}

/** Writes values of a track, as a fit has them, into samples that hold every member: rotations become unit quaternions. */
export function putTrack(rig: Rig, track: KeyTrack, fit: Float64Array, samples: Samples): void {
  const { member, kind } = track;
  const { values, size, joints } = samples[kind];
  const entry = entryIn(samples, track);
  for (let s = 0; s < samples.count; s++) {
    const o = size * (s * joints.length + entry);
    if (kind === 'rotations' && track.size === 3)
      eulerToQuaternion(values, o, rig.joints[member].order, fit, 3 * s);
    else for (let c = 0; c < size; c++) values[o + c] = fit[s * size + c];
    if (kind === 'rotations' && track.size === 4) normalize(values, o);
    if (track.below) putOn(kind, track.below, size * s, values, o);
  }
}

/** Puts a change onto what is below it. */
function putOn(kind: TrackKind, below: Float64Array, b: number, values: Float64Array, o: number): void {
  if (kind === 'rotations') multiply(values, o, below, b, values, o);
  else
    for (let c = 0; c < SIZES[kind]; c++) {
      if (kind === 'scales') values[o + c] *= below[b + c];
      else values[o + c] += below[b + c];
    }
}
