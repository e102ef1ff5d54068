import type { Group } from '../layer/group.js';
import type { Layer } from '../layer/layer.js';
import type { Prop } from '../layer/prop.js';
import type { Variant } from '../layer/variant.js';
import type { LimbCorrections } from '../rig/limbs.js';
import type { Rig, Vector3 } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import type { MotionEvent } from './events.js';

/** Keys in a window around one event are put at every event of that name. Frames are those of the kit. */
export interface EachFit {
  /** The name of the event. */
  readonly each: string;
  /** Where the event lies in the kit. */
  readonly at: number;
  /** The window, in frames from the event: `from` is not after `to`. */
  readonly from: number;
  readonly to: number;
}

/** How the frames of a layer find their place on a take. */
export type Fit = 'shift' | 'stretch' | 'events' | EachFit;

export const PLAIN_FITS = ['events', 'stretch', 'shift'] as const;

/** A layer of a kit, as it was on the motion that the kit was made on. */
export interface KitLayer {
  readonly layer: Layer;
  readonly fit: Fit;
  /** Names of the limbs whose contacts are found anew on each take; their spans are empty. */
  readonly found: readonly string[];
}

/** Where the root stood when a kit was made: a place on the floor, and a heading in degrees about Y. */
export interface RootPlace {
  readonly at: Vector3;
  readonly heading: number;
}

/** Layers without a base, with what they need to find their place on another take. Lengths are in units of its rig. */
export interface Kit {
  readonly id: string;
  readonly name: string;
  /** The time base of every frame of it. */
  readonly fps: number;
  /** The range of the motion that it was made on. */
  readonly range: readonly [number, number];
  readonly metresPerUnit: number;
  /** The roles of its joints, by name; one that has none that is known is found by its name alone. */
  readonly joints: Readonly<Record<string, string | undefined>>;
  /** Parts that were made by hand, with the names of their members. */
  readonly parts: Readonly<Record<string, readonly string[]>>;
  readonly limbs: LimbCorrections;
  readonly props: readonly Prop[];
  readonly groups: readonly Group[];
  readonly variants: readonly Variant[];
  /** Of the motion that it was made on, in the order of their frames. */
  readonly events: readonly MotionEvent[];
  /** Set where what stands in the world goes along with where the root starts. */
  readonly root?: RootPlace;
  /** From the lowest up. */
  readonly layers: readonly KitLayer[];
  /** The takes that its layers play. */
  readonly takes: readonly Take[];
  /** The character that it was made on; where missing, its numbers count in the axes of the one that it is put on. */
  readonly rig?: Rig;
}
