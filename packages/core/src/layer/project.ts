import type { LimbCorrections } from '../rig/limbs.js';
import type { Parts } from '../rig/parts.js';
import type { Rig, Vector3 } from '../rig/rig.js';
import type { Mapping } from '../take/making.js';
import type { Take } from '../take/take.js';
import type { FindingLimits } from './finding-limits.js';
import { type Group, groupAsLayer } from './group.js';
import { countAllKeys, type Layer } from './layer.js';
import type { Note } from './notes/note.js';
import type { SavedPose } from './saved-pose.js';
import type { Scene } from './scene.js';
import type { Variant } from './variant.js';

/** How captures of one source are matched to the character. */
export interface SourceMapping {
  /** Tells the skeleton of the source from others. */
  readonly source: string;
  readonly joints: Mapping;
}

/** Joints that are picked together, under a name. */
export interface PickSet {
  readonly name: string;
  readonly joints: readonly string[];
}

/** A moment of the project, under a name. */
export interface TimeMark {
  readonly id: string;
  readonly name: string;
  readonly frame: number;
}

/** From where the view looks, under a name. Places are in the rig's unit. */
export interface SavedView {
  readonly name: string;
  readonly from: Vector3;
  readonly at: Vector3;
}

/** The places in which a project can be seen to play. */
export const SEEN_PLACES = ['harbour'] as const;

/**
 * A scene with its takes and its stack: an immutable tree of plain objects. Characters and takes never
 * change; everything else is replaced by the functions in `edit/`.
 */
export interface Project {
  readonly name: string;
  /** The time base of every frame number, in frames a second. */
  readonly fps: number;
  /** The number that people see for frame 0, a whole one; 0 where missing. Nothing else counts from it. */
  readonly first?: number;
  /** What plays and what is baked, both ends included. */
  readonly range: readonly [number, number];
  readonly metresPerUnit: number;
  readonly scene: Scene;
  /** The joints of the scene, as `rigOfScene` puts them together. */
  readonly rig: Rig;
  /** The part of each joint, in the rig's order. */
  readonly parts: Parts;
  /** What was said of the character's limbs; those that are not named are found. */
  readonly limbs: LimbCorrections;
  readonly takes: readonly Take[];
  /** The mappings that serve every further take from the same source. */
  readonly mappings: readonly SourceMapping[];
  /** The pose book. */
  readonly poses: readonly SavedPose[];
  readonly sets: readonly PickSet[];
  readonly views: readonly SavedView[];
  /** Moments with names, in order of their frames. */
  readonly marks: readonly TimeMark[];
  /** What people say about frames, in order of these. */
  readonly notes: readonly Note[];
  readonly groups: readonly Group[];
  readonly variants: readonly Variant[];
  /** From which amounts on something is found in the motion, where they are others than usual. */
  readonly limits?: FindingLimits;
  /** Where it is seen to play, beside the bare floor. */
  readonly place?: (typeof SEEN_PLACES)[number];
  /** The point of the rig's space at which the middle of the floor is seen, where it is not the origin. Nothing is evaluated by it. */
  readonly ground?: Vector3;
  /** The stack from the base up. The base is always there and is an override layer. */
  readonly layers: readonly Layer[];
}

/** What a project has beside its stack where nobody has kept anything yet. */
export const NOTHING_KEPT: Pick<
  Project,
  'limbs' | 'poses' | 'sets' | 'views' | 'marks' | 'notes' | 'groups' | 'variants'
> = {
  limbs: {},
  poses: [],
  sets: [],
  views: [],
  marks: [],
  notes: [],
  groups: [],
  variants: [],
};

/** The number that people see for a frame. */
export const frameNumber = ({ first = 0 }: Pick<Project, 'first'>, frame: number): number => first + frame;

/** The base of a stack: its lowest layer. */
export const baseOf = <L>({ layers }: { readonly layers: readonly L[] }): L => layers[0];

export const layerById = (project: Project, id: string): Layer | undefined =>
  project.layers.find((layer) => layer.id === id);

export const groupById = (project: Project, id: string): Group | undefined =>
  project.groups.find((group) => group.id === id);

/** The layer that an address names; the group, as a layer without content, where its id is that of a group. */
export function ownerById(project: Project, id: string): Layer | undefined {
  const layer = layerById(project, id);
  if (layer) return layer;
  const group = groupById(project, id);
  return group && groupAsLayer(group);
}

export const layerIndex = (project: Project, id: string): number =>
  project.layers.findIndex((layer) => layer.id === id);

/** Frames a second that a project has, at most and at least. Takes come in at any rate. */
export const FASTEST_RATE = 1000;
export const SLOWEST_RATE = 1;

/** The frames a second of a project for a take of so many samples a second: as many, or a whole part or times of it. */
export function projectRate(rate: number): number {
  if (rate > FASTEST_RATE) return rate / Math.ceil(rate / FASTEST_RATE - 1e-9);
  if (rate < SLOWEST_RATE) return rate * Math.ceil(SLOWEST_RATE / rate - 1e-9);
  return rate;
}

/** Keys that all layers of a project have, at most: more are not read back. */
export const MOST_KEYS = 400_000;

/** Why a project has more keys than can be kept, in words for people; undefined where it has not. */
export function tooManyKeys({ layers }: Pick<Project, 'layers'>, more = 0): string | undefined {
  const keys = layers.reduce((sum, layer) => sum + countAllKeys(layer), more);
  if (keys <= MOST_KEYS) return undefined;
  const said = (value: number) => value.toLocaleString('en-GB');
  return `It would have ${said(keys)} keys, and up to ${said(MOST_KEYS)} can be kept in a file`;
}
