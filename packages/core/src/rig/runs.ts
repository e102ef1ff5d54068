import type { Rig } from './rig.js';
import { topologyOf } from './topology.js';

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
