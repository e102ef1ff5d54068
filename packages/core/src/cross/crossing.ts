import type { HeldContacts } from '../layer/held-contacts.js';
import type { Alignment } from './distance.js';

/** When a region changes over: the middle of its fade, on the lower performance's frames, and how far apart it is there. */
export interface RegionChange {
  readonly region: string;
  readonly parts: readonly string[];
  readonly frame: number;
  /** Over how many frames it fades. */
  readonly fade: number;
  /** Root of the mean square, in the rig's unit. */
  readonly distance: number;
  /** Whether a foot changes over in the air, or from one that stands to one that stands; missing for what has no foot. */
  readonly foot?: 'air' | 'stands' | 'slides';
}

/** A place at which one performance can take over from another. */
export interface Crossing {
  /** The frame of the lower performance, and the frame of the upper one that then plays, counted as its samples are. */
  readonly frame: number;
  readonly other: number;
  readonly alignment: Alignment;
  readonly changes: readonly RegionChange[];
  /** How far feet slide more than in their own performances, at most of one foot, in the rig's unit. */
  readonly slide: number;
  /** The contacts that keep feet in place meanwhile, where they slide less with them. */
  readonly held?: HeldContacts;
}

/** How a crossing is looked for, in samples of the performances. */
export interface CrossingWish {
  /** Samples beside the one that is compared. */
  readonly reach: number;
  /** Over how many samples a region changes over at most, and how far from the crossing it may. */
  readonly fade: number;
  readonly around: number;
}

/** What is usual at a rate of samples: windows of a tenth of a second on both sides, fades of a quarter, changes within a half. */
export const usualWish = (rate: number): CrossingWish => ({
  reach: Math.max(1, Math.round(0.1 * rate)),
  fade: Math.max(2, Math.round(0.25 * rate)),
  around: Math.max(3, Math.round(0.5 * rate)),
});

/** How much a length that a foot slides counts beside one by which a pose jumps. */
export const SLIDES_COUNT = 20;

/** How good a crossing is: what is seen of it, smaller for a better one. */
export const crossingCost = ({ alignment: { distance }, slide, changes }: Crossing): number =>
  distance + SLIDES_COUNT * slide + changes.filter(({ foot }) => foot === 'slides').length * distance;

/** The frames between which regions change over. */
export function changing({ changes }: Crossing): [number, number] {
  return [
    Math.min(...changes.map(({ frame, fade }) => frame - fade / 2)),
    Math.max(...changes.map(({ frame, fade }) => frame + fade / 2)),
  ];
}

/** The frames in which a crossing is looked at: three quarters of a second before it begins to change over and after it. */
export function crossingRange({ fps }: { readonly fps: number }, crossing: Crossing): [number, number] {
  const [from, to] = changing(crossing);
  return [Math.floor(from - 0.75 * fps), Math.ceil(to + 0.75 * fps)];
}
