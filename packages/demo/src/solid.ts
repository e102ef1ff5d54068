import type { Distance } from './distance.js';
import type { V } from './vector.js';

/** A morph target of a solid: by how much each place of it moves where the target counts in full, in metres. */
export interface Morph {
  readonly name: string;
  readonly by: (p: V) => V;
}

/** One solid of the figure: its shape, what it is made of, and the bones that may move it. */
export interface Solid {
  readonly name: string;
  /** Linear-light colour is made from this sRGB colour. */
  readonly color: string;
  readonly glow?: number;
  readonly rough?: number;
  readonly shape: Distance;
  readonly low: V;
  readonly high: V;
  readonly cell: number;
  /** Names of the joints that may move it. */
  readonly bones: readonly string[];
  /** How thick the flesh around a bone is, in metres, by its joint: what lies in it is as near as the bone itself. */
  readonly thick?: (joint: string) => number;
  /** Rounds over which its weights are evened out along the surface. */
  readonly evened?: number;
  /** Solids that have them are a mesh of their own, and all of them have the same. */
  readonly morphs?: readonly Morph[];
}
