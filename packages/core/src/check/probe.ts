import type { FindingKind, FindingUnit, More } from './finding.js';
import type { SeenMotion } from './seen.js';

/** What was measured: how much at most, and at which of the frames that were seen. */
export interface Measured {
  readonly amount: number;
  /** Index of the frame. */
  readonly at: number;
}

/**
 * Measures one thing of a motion: the slide of a foot over a span, how far a knee is beyond its range. It is asked once of
 * the whole motion to find something, and then of some frames again with layers left out, to tell what that comes from.
 */
export interface Probe {
  readonly kind: FindingKind;
  readonly unit: FindingUnit;
  /** Indices of the joints of which it is (or of the face channel, among the members of the rig), and of those that it looks at. */
  readonly joint: number;
  readonly other?: number;
  readonly looks: readonly number[];
  /** The frames over which it counts; all where missing. */
  readonly span?: readonly [number, number];
  /** Frames before and after one at which it is worst that have to be seen to measure it there; the whole span where missing. */
  readonly around?: number;
  readonly more?: More;
  /**
   * How much there is at the frame with an index, in the unit of the probe, which is given along: a function of its own for each of hundreds
   * of probes would be compiled for each.
   */
  at(seen: SeenMotion, f: number, probe: this): number;
  /**
   * Measures in other motions, seen at the same frames, what makes up the amount at a frame of one: the same amount for that
   * motion itself, and for others so that what layers add is summed, where the amount is a largest distance.
   */
  readonly share?: (seen: SeenMotion, f: number) => (other: SeenMotion) => number;
  /** Whether it is no more than unusual there, and so a note however much there is. */
  mild?(seen: SeenMotion, f: number, probe: this): boolean;
}
