import type { Scalar } from '../curve/curve.js';

/** A point of a limb's end that can stand: a joint, or one of its end sites, and how high it is above the floor then. */
export interface StandingPoint {
  readonly joint: string;
  /** Which of the joint's end sites; the joint itself where missing. */
  readonly end?: number;
  /** In units of the rig. */
  readonly floor: number;
}

/** Frames over which the end of a limb stands, both ends included. */
export type StandingSpan = readonly [number, number];

/** When limbs stand, by the name of the limb; the spans of each in order, without overlap. */
export type Stands = Readonly<Record<string, readonly StandingSpan[]>>;

/** What of a limb can stand, and when it does. */
export interface HeldLimb {
  readonly points: readonly StandingPoint[];
  /** In order, without overlap. */
  readonly spans: readonly StandingSpan[];
}

/** Contacts that a layer holds, whatever the layers below it do. */
export interface HeldContacts {
  /** Frames over which a correction comes and goes. */
  readonly fade: number;
  /** Whether the root goes down where a leg would be too short. */
  readonly hips: boolean;
  /** How far ends turn back to what they were before layers turned them, from 0 to 1: not at all where missing. */
  readonly turn?: Scalar;
  /** Id of the layer up to which that is evaluated; where missing, of the lowest one that has content for the end. */
  readonly like?: string;
  /** The joint, by name, of another character or a prop, on which they stand; the world where missing. */
  readonly space?: string;
  /** By the name of the limb. */
  readonly limbs: Readonly<Record<string, HeldLimb>>;
}

/** The first two spans of a limb that overlap, by the index of the later one; undefined where none do. */
export function overlapIn(spans: readonly StandingSpan[]): number | undefined {
  const at = spans.findIndex(([from], k) => k > 0 && from <= spans[k - 1][1]);
  return at < 0 ? undefined : at;
}
