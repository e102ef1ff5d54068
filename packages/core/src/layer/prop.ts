import { rigHeight } from '../rig/pose.js';
import type { Rig, Vector3 } from '../rig/rig.js';

/** What a prop without a file looks like: its size along x, y and z in units of the rig, before it is turned. */
export const SHAPES = ['box', 'ball', 'cylinder'] as const;
export type PropShape = (typeof SHAPES)[number];

/** A model that a prop looks like, as the GLB file that it came in. */
export interface PropModel {
  readonly id: string;
  readonly file: string;
  readonly bytes: Uint8Array;
}

/** Degrees that a camera sees from the lower to the upper edge, at least and at most. */
export const NARROWEST = 1;
export const WIDEST = 170;

/** What a prop has that looks: along its own -Z, +Y up. */
export interface PropCamera {
  /** Vertical field of view, degrees. */
  readonly fov: number;
}

/** A rigid thing in the scene. It is a joint more, called by its name. */
export interface Prop {
  readonly name: string;
  readonly model?: PropModel;
  readonly camera?: PropCamera;
  readonly shape: PropShape;
  readonly size: Vector3;
  /** Where it was put: its rest. */
  readonly at: Vector3;
  /** Degrees, as `Ry · Rx · Rz`. */
  readonly turn: Vector3;
  readonly hidden?: boolean;
}

/** The size of a new prop: a fifth of the character, to a round number. */
export function sizeFor(rig: Rig): Vector3 {
  const size = Number((0.2 * rigHeight(rig)).toPrecision(1)) || 1;
  return [size, size, size];
}

/** The vertical field of view, in degrees, of the props that are cameras, by name. */
export const camerasIn = (props: readonly Prop[]): Record<string, number> =>
  Object.fromEntries(props.flatMap(({ name, camera }) => (camera ? [[name, camera.fov]] : [])));
