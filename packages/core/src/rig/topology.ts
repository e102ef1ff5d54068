import type { EulerOrder } from '../math/euler.js';
import { charactersOf, type Frame, type Rig } from './joint.js';

/**
 * What of a rig does not depend on where its joints rest: their names, what hangs on what, their Euler orders, and its face channels. Rigs that
 * differ in rests alone share the object, so that what is known of names and parents is known by it.
 */
export interface Topology {
  readonly names: readonly string[];
  /** Index of each joint's parent, -1 for one that stands in the scene by itself. */
  readonly parents: Int32Array;
  readonly orders: readonly EulerOrder[];
  /** Of each character the joints and the face channels that it has. */
  readonly spans: readonly CharacterSpan[];
  /** Which character each joint belongs to; -1 for a prop. */
  readonly owners: Int32Array;
  /** Indices of joints by their names. */
  readonly indices: ReadonlyMap<string, number>;
  /** Names of the face channels, and their indices by these. */
  readonly faces: readonly string[];
  readonly faceIndices: ReadonlyMap<string, number>;
}

/** The joints of a character in the rig of a scene, and its face channels among those of the scene: from the first up to, and not with, the end. */
export interface CharacterSpan {
  readonly from: number;
  readonly to: number;
  readonly faceFrom: number;
  readonly faceTo: number;
  /** The joint of it that hangs on no other. */
  readonly root: number;
}

const topologies = new WeakMap<Rig, Topology>();

/** The topology of a rig, found once for it. */
export function topologyOf(rig: Rig): Topology {
  let topology = topologies.get(rig);
  if (!topology) {
    const { joints, faces = [] } = rig;
    const spans = spansOf(rig);
    topology = {
      names: joints.map(({ name }) => name),
      parents: Int32Array.from(joints, ({ parent }) => parent),
      orders: joints.map(({ order }) => order),
      spans,
      owners: ownersOf(rig, spans),
      // Where two have one name, as in files that are not checked yet, the first counts.
      indices: new Map([...joints.entries()].reverse().map(([j, { name }]) => [name, j])),
      faces: faces.map(({ name }) => name),
      faceIndices: new Map([...faces.entries()].reverse().map(([f, { name }]) => [name, f])),
    };
    topologies.set(rig, topology);
  }
  return topology;
}

/** Where the joints and face channels of each character stand. */
function spansOf(rig: Rig): CharacterSpan[] {
  let from = 0;
  let faceFrom = 0;
  return charactersOf(rig).map(({ rig: { joints, faces = [] } }) => {
    const root =
      from +
      Math.max(
        0,
        joints.findIndex(({ parent }) => parent < 0),
      );
    const span = { from, to: from + joints.length, faceFrom, faceTo: faceFrom + faces.length, root };
    [from, faceFrom] = [span.to, span.faceTo];
    return span;
  });
}

/** Which character each joint of a rig belongs to; -1 for a prop. */
function ownersOf({ joints }: Rig, spans: readonly CharacterSpan[]): Int32Array {
  const owners = new Int32Array(joints.length).fill(-1);
  for (const [k, { from, to }] of spans.entries()) owners.fill(k, from, to);
  return owners;
}

/** The rig itself; where it has the topology of another one, it shares that. */
export function sharingTopology(rig: Rig, other: Rig): Rig {
  const topology = topologyOf(other);
  const { joints, faces = [] } = rig;
  const owners = ownersOf(rig, spansOf(rig));
  const same =
    joints.length === topology.names.length &&
    faces.length === topology.faces.length &&
    faces.every(({ name }, f) => name === topology.faces[f]) &&
    owners.every((owner, j) => owner === topology.owners[j]) &&
    joints.every(
      ({ name, parent, order }, j) =>
        name === topology.names[j] && parent === topology.parents[j] && order === topology.orders[j],
    );
  if (same) topologies.set(rig, topology);
  return rig;
}

/** Index of the root of a character, of the first where none is said. */
export const rootOf = (rig: Rig, character = 0): number => topologyOf(rig).spans[character].root;

/** Index of the first joint behind those of the characters: there the props begin. */
export const propsFrom = (rig: Rig): number => {
  const { spans } = topologyOf(rig);
  return spans[spans.length - 1].to;
};

/** The character that a joint belongs to; -1 for a prop. */
export const ownerOf = (rig: Rig, joint: number): number => topologyOf(rig).owners[joint];

/** The character that a member belongs to, joint or face channel; -1 for a prop. */
export function ownerOfMember(rig: Rig, member: number): number {
  const { owners, spans } = topologyOf(rig);
  const face = member - owners.length;
  return face < 0
    ? owners[member]
    : spans.findIndex(({ faceFrom, faceTo }) => face >= faceFrom && face < faceTo);
}

/** The frame that a joint without a parent stands in; undefined for one that stands in the scene itself. */
export function frameOf(rig: Rig, joint: number): Frame | undefined {
  const { characters } = rig;
  if (!characters || characters.length === 1) return undefined;
  const owner = ownerOf(rig, joint);
  return owner < 0 ? undefined : characters[owner].frame;
}

/** Stretches of joints that stand together: the first, and the one behind the last. */
export type JointRuns = readonly (readonly [from: number, to: number])[];

/** Marks some joints of a rig and all that they hang on. */
export function markUp(rig: Rig, joints: Iterable<number>): Uint8Array {
  const { parents } = topologyOf(rig);
  const marks = new Uint8Array(parents.length);
  for (const joint of joints) for (let j = joint; j >= 0 && !marks[j]; j = parents[j]) marks[j] = 1;
  return marks;
}

/** The stretches of joints with a mark. */
export function runsOf(marks: Uint8Array): JointRuns {
  const runs: [number, number][] = [];
  for (let j = 0; j < marks.length; j++) {
    if (!marks[j]) continue;
    const last = runs[runs.length - 1];
    if (last?.[1] === j) last[1] = j + 1;
    else runs.push([j, j + 1]);
  }
  return runs;
}
