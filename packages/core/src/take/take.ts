import { facesOf } from '../rig/members.js';
import { characterOf, type Rig } from '../rig/rig.js';
import { topologyOf } from '../rig/topology.js';
import type { Contacts } from './contacts.js';
import type { Doubt } from './doubts.js';
import type { FaceCurve } from './face-curve.js';
import type { HandMoved } from './hands.js';
import type { Making } from './making.js';

export type TrackSize = 1 | 3 | 4;

/**
 * Samples of one kind for some of a take's joints.
 * `values` is laid out sample after sample, and within a sample one entry of `size` numbers for each of
 * `joints`: entry `k` of sample `s` starts at `(s · joints.length + k) · size`.
 */
export interface Track {
  /** Indices into the joints of the take's rig, or into its face channels, ascending. */
  readonly joints: Int32Array;
  /** Numbers an entry: 3 for translation and scale, 4 for rotation, 1 for a face channel. */
  readonly size: TrackSize;
  readonly values: Float64Array;
}

/** Samples of a performance at even times, the first at time 0. Never changed by an edit. */
export interface Samples {
  readonly count: number;
  /** Seconds from one sample to the next; for a BVH its `Frame Time` as written. */
  readonly interval: number;
  /** Local translations, in the rig's unit. */
  readonly translations: Track;
  /** Local rotations as unit quaternions `(x, y, z, w)`. */
  readonly rotations: Track;
  /** Local scales. */
  readonly scales: Track;
  /** Face channels of what was sampled, as in a bake; empty in a take, which has them as curves. */
  readonly faces: Track;
}

/** A recorded or imported performance with the skeleton on which it was recorded. */
export interface Take extends Samples {
  readonly id: string;
  readonly name: string;
  readonly rig: Rig;
  readonly source: Source;
  /** What it records of face channels, each at its own times. */
  readonly faceCurves?: readonly FaceCurve[];
  /** What its file animates or shows beside the character, in words for people: it is in no bake. */
  readonly left?: readonly string[];
  /** What was doubtful about its file when it was read. */
  readonly warnings?: readonly string[];
  /** How it is made of another take; missing for one that came from outside. */
  readonly made?: Making;
  /**
   * What its samples were made by. Where that is another than what is asked for now, they are on their way, and those
   * that are here are of an earlier state.
   */
  readonly madeBy?: string;
  readonly contacts?: Contacts;
  /** Where it was fitted: when hands were moved to keep their distances. */
  readonly handsMoved?: readonly HandMoved[];
  /** What of it was not recorded as it should. */
  readonly doubts?: readonly Doubt[];
}

/** The file that a take came in, kept unchanged. Several takes may share one: `clip` then names the animation. */
export interface Source {
  /** Under which the file is kept; never changes. */
  readonly id: string;
  readonly file: string;
  readonly bytes: Uint8Array;
  readonly clip?: string;
}

/** The id of the take that a clip of a file is. */
export const takeId = (source: string, clip: string | undefined): string =>
  clip === undefined ? source : `${source} ${clip}`;

export const emptyTrack = (size: TrackSize): Track => ({
  joints: new Int32Array(0),
  size,
  values: new Float64Array(0),
});

/** Seconds from the first sample to the last. */
export const takeDuration = (take: Samples): number => (take.count - 1) * take.interval;

/**
 * For each joint of `rig` the entry of a track that holds its samples, or -1. The take plays on one character, whose joints it knows
 * by their own names. What stands in the scene by itself and is not its root (a prop) is matched for the first character, and
 * only by what does so in the take too.
 */
export function trackEntries(rig: Rig, takeRig: Rig, track: Track, character = 0): Int32Array {
  const entryOf = new Map<string, number>();
  for (const [entry, joint] of track.joints.entries()) entryOf.set(takeRig.joints[joint].name, entry);
  const hangs = new Set(takeRig.joints.flatMap(({ name, parent }) => (parent >= 0 ? [name] : [])));
  const { owners, spans } = topologyOf(rig);
  const own = characterOf(rig, character);
  const root = spans[character].root;
  return Int32Array.from(rig.joints, ({ name, parent }, j) => {
    if (owners[j] !== character && !(owners[j] < 0 && character === 0)) return -1;
    if (j !== root && parent < 0 && hangs.has(name)) return -1;
    return entryOf.get(owners[j] < 0 ? name : own.joints[j - spans[character].from].name) ?? -1;
  });
}

/** For each face channel of `rig` the index of the curve that a take has for it on a character, or -1. */
export function faceEntries(
  rig: Rig,
  { faceCurves = [] }: Pick<Take, 'faceCurves'>,
  character = 0,
): Int32Array {
  const entryOf = new Map(faceCurves.map(({ channel }, entry) => [channel, entry]));
  const { faceFrom, faceTo } = topologyOf(rig).spans[character];
  const own = facesOf(characterOf(rig, character));
  return Int32Array.from(facesOf(rig), (_, f) =>
    f >= faceFrom && f < faceTo ? (entryOf.get(own[f - faceFrom].name) ?? -1) : -1,
  );
}

/** The joints of a rig for which a take has samples on a character. */
export function jointsPlayed(rig: Rig, take: Take, character = 0): number[] {
  const tracks = [take.translations, take.rotations, take.scales];
  const entries = tracks.map((track) => trackEntries(rig, take.rig, track, character));
  return rig.joints.flatMap((_, j) => (entries.some((of) => of[j] >= 0) ? [j] : []));
}

/** Names of a take's joints that a rig does not have: they are left alone where the take plays on it. */
export function unmatchedJoints(rig: Rig, take: Pick<Take, 'rig'>): string[] {
  const names = new Set(rig.joints.map((joint) => joint.name));
  return take.rig.joints.map((joint) => joint.name).filter((name) => !names.has(name));
}
