import { charactersOf, type Rig } from './joint.js';
import { type Topology, topologyOf } from './topology.js';

export * from './joint.js';

/** The rig of a character alone, by its own names, without props; of the first where none is said. */
export const characterOf = (rig: Rig, character = 0): Rig =>
  rig.characters ? rig.characters[character].rig : rig;

/** Index of a character by its name in the scene, the first where it is missing; -1 where there is none. */
export const characterIndex = (rig: Rig, name = ''): number =>
  charactersOf(rig).findIndex((one) => one.name === name);

/** What a character itself calls something of its own that has its name before it in the scene. */
export const ownName = (name: string): string => name.slice(name.lastIndexOf('/') + 1);

/** The name in the scene of what a character calls `own`: a joint, a part, a limb, a face channel. */
export const sceneName = (character: string, own: string): string =>
  character === '' ? own : `${character}/${own}`;

/** Index of a joint by name, or -1. */
export function jointIndex(rig: Rig, name: string): number {
  return topologyOf(rig).indices.get(name) ?? -1;
}

const childrenOf = new WeakMap<Topology, number[][]>();

/** For each joint the indices of its children. Computed once for a rig. */
export function jointChildren(rig: Rig): readonly (readonly number[])[] {
  const topology = topologyOf(rig);
  let children = childrenOf.get(topology);
  if (!children) {
    children = rig.joints.map(() => []);
    for (const [index, joint] of rig.joints.entries()) {
      if (joint.parent >= 0) children[joint.parent].push(index);
    }
    childrenOf.set(topology, children);
  }
  return children;
}

/** Whether `joint` is `ancestor` or hangs below it. */
export function isWithin(rig: Rig, joint: number, ancestor: number): boolean {
  for (let j = joint; j >= 0; j = rig.joints[j].parent) if (j === ancestor) return true;
  return false;
}

const endsOf = new WeakMap<Topology, Int32Array>();

/** For each joint the index after the last of those that hang below it: a joint and all below it stand together. */
export function subtreeEnds(rig: Rig): Int32Array {
  const topology = topologyOf(rig);
  let ends = endsOf.get(topology);
  if (!ends) {
    const { joints } = rig;
    ends = Int32Array.from(joints, (_, j) => j + 1);
    for (let j = joints.length - 1; j >= 0; j--) {
      const { parent } = joints[j];
      if (parent >= 0) ends[parent] = Math.max(ends[parent], ends[j]);
    }
    endsOf.set(topology, ends);
  }
  return ends;
}
