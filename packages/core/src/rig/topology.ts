import type { EulerOrder } from '../math/euler.js';
import type { Rig } from './joint.js';

/**
 * What of a rig does not depend on where its joints rest: their names, what hangs on what, their Euler orders, and its face channels. Rigs that
 * differ in rests alone share the object, so that what is known of names and parents is known by it.
 */
export interface Topology {
  readonly names: readonly string[];
  /** Index of each joint's parent, -1 for one that stands in the scene by itself. */
  readonly parents: Int32Array;
  readonly orders: readonly EulerOrder[];
  /** The root of the character: the joint of it that hangs on no other. */
  readonly root: number;
  /** Which character each joint belongs to; -1 for a prop. */
  readonly owners: Int32Array;
  /** Indices of joints by their names. */
  readonly indices: ReadonlyMap<string, number>;
  /** Names of the face channels, and their indices by these. */
  readonly faces: readonly string[];
  readonly faceIndices: ReadonlyMap<string, number>;
}

const topologies = new WeakMap<Rig, Topology>();

/** The topology of a rig, found once for it. */
export function topologyOf(rig: Rig): Topology {
  let topology = topologies.get(rig);
  if (!topology) {
    const { joints, faces = [] } = rig;
    topology = {
      names: joints.map(({ name }) => name),
      parents: Int32Array.from(joints, ({ parent }) => parent),
      orders: joints.map(({ order }) => order),
      root: Math.max(
        0,
        joints.findIndex(({ parent }) => parent < 0),
      ),
      owners: ownersOf(rig),
      // Where two have one name, as in files that are not checked yet, the first counts.
      indices: new Map([...joints.entries()].reverse().map(([j, { name }]) => [name, j])),
      faces: faces.map(({ name }) => name),
      faceIndices: new Map([...faces.entries()].reverse().map(([f, { name }]) => [name, f])),
    };
    topologies.set(rig, topology);
  }
  return topology;
}

/** Which character each joint of a rig belongs to; -1 for a prop. */
function ownersOf({ joints, characters }: Rig): Int32Array {
  const owners = new Int32Array(joints.length).fill(characters ? -1 : 0);
  let from = 0;
  for (const [k, one] of (characters ?? []).entries()) {
    owners.fill(k, from, from + one.joints.length);
    from += one.joints.length;
  }
  return owners;
}

/** The rig itself; where it has the topology of another one, it shares that. */
export function sharingTopology(rig: Rig, other: Rig): Rig {
  const topology = topologyOf(other);
  const { joints, faces = [] } = rig;
  const owners = ownersOf(rig);
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

/** Index of the root of a rig's character. */
export const rootOf = (rig: Rig): number => topologyOf(rig).root;
