import { globalMatrices, restPose } from './pose.js';
import type { Rig } from './rig.js';
import { rolesOf } from './roles.js';
import { rootOf } from './topology.js';

/** How a skeleton stands at rest. */
export interface Stand {
  /** The joints of feet and toes, or all where there are none. */
  readonly feet: readonly number[];
  /** From the lowest of them to the hips. */
  readonly height: number;
  /** How high the lowest of them lies where the skeleton stands on the floor; undefined where it does not. */
  readonly onFloor: number | undefined;
}

/** How high above the floor the lowest joint of a foot may lie, as a part of the height of the hips. */
const SOLE = 0.15;

/** How a skeleton stands at rest over its feet; `hips` is the joint that carries it. */
export function standOf(rig: Rig, hips: number): Stand {
  const feet = rolesOf(rig).flatMap((role, j) => (role && /Foot|Toes/.test(role.role) ? [j] : []));
  const low = feet.length > 0 ? feet : [...rig.joints.keys()];
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * rig.joints.length));
  const floor = Math.min(...low.map((j) => matrices[16 * j + 13]));
  const height = matrices[16 * hips + 13] - floor;
  return { feet: low, height, onFloor: floor >= 0 && floor < SOLE * height ? floor : undefined };
}

/** How high the hips of a character stand at rest above the lowest joint of its feet; its root, where it has no hips. */
export function hipsHeight(rig: Rig): number {
  const hips = rolesOf(rig).findIndex((role) => role?.role === 'hips');
  return standOf(rig, hips >= 0 ? hips : rootOf(rig)).height;
}
