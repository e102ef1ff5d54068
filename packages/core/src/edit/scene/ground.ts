import type { Project } from '../../layer/project.js';
import type { Vector3 } from '../../rig/rig.js';

/**
 * Puts the floor of the scene with all that stands around so that its middle lies at a point of the character's own space;
 * without one where the file has its origin. No motion changes, and nothing that is baked.
 */
export function setGround(project: Project, ground: Vector3 | undefined): Project {
  const { ground: before, ...rest } = project;
  const to = ground?.some((value) => value !== 0) ? ground : undefined;
  if (before === to || (before && to?.every((value, axis) => value === before[axis]))) return project;
  return to ? { ...rest, ground: to } : rest;
}
