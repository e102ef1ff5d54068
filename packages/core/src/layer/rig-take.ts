import { characterOf, type Rig } from '../rig/rig.js';
import type { Take } from '../take/take.js';
import { takeOf } from './content.js';
import { baseOf, type Project } from './project.js';
import { characterIn } from './scene.js';

/**
 * The take whose file brings the skeleton of a project: none where the character has a file of its own, or the base plays
 * a take, which then brings it.
 */
export function rigTake(project: Project): Take | undefined {
  const { scene, takes, rig } = project;
  if (characterIn(scene).figure || takeOf(baseOf(project))) return undefined;
  return takeWithRig({ takes }, characterOf(rig));
}

/** A take of a project that is of a skeleton: its file brings that. */
export function takeWithRig({ takes }: Pick<Project, 'takes'>, rig: Rig): Take | undefined {
  const text = JSON.stringify(rig.joints);
  return (
    takes.find((take) => take.rig === rig) ?? takes.find((take) => JSON.stringify(take.rig.joints) === text)
  );
}
