import type { Samples } from '../take/take.js';
import type { KeyLimits } from './fit-tracks.js';
import type { Spline } from './spline.js';
import type { WantedKey } from './track-fit.js';
import type { TrackName, TurnSpace } from './tracks.js';
import type { MotionError } from './whole-pose.js';

/** The keys of a track: a spline over the samples, counted from 0. */
export interface KeyedTrack extends TrackName {
  readonly spline: Spline;
}

/** A motion as keys. A key is one joint's rotation, translation or scale, or a face channel, at one time. */
export interface MotionKeys {
  readonly tracks: readonly KeyedTrack[];
  readonly space: TurnSpace;
  /** Samples that it was made of, and seconds from one to the next. */
  readonly count: number;
  readonly interval: number;
  /** Keys that a key at every sample would be, and that there are. */
  readonly before: number;
  readonly after: number;
  readonly error: MotionError;
  /** How far it is off over time, where that was asked. */
  readonly over?: ErrorOverTime;
}

/** How far joints, or end sites of them, are off over time that is cut into stretches of samples. */
export interface ErrorOverTime {
  /** Samples of a stretch. */
  readonly stretch: number;
  /** For each joint the largest of each stretch, in units of the rig. */
  readonly lengths: readonly Float32Array[];
}

/** What keys are to be like. */
export interface KeysWanted extends KeyLimits {
  readonly space: TurnSpace;
  /** What is keyed; missing, what the motion needs. */
  readonly tracks?: readonly TrackName[];
  /** The members that are keyed; missing, all. */
  readonly members?: ReadonlySet<number>;
  readonly wanted?: readonly WantedKey[];
  /** Keys that there may be; missing, as many as memory holds. */
  readonly most?: number;
  /** Where the keys are to be changes, what they change. */
  readonly below?: Samples;
  /** Whether keys are to be joined straight, for those who read no curves. */
  readonly straight?: boolean;
  /** In how many stretches at most it is to be told how far they are off over time; in none where missing. */
  readonly stretches?: number;
}
