import type { Project } from '../../layer/project.js';
import { rigOfScene, type Scene } from '../../layer/scene.js';
import { memberNames } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import { sameValue } from '../change.js';

/**
 * A project with another scene. Members keep the parts that they had, by the names that they had: `before` gives the one of each that is
 * called otherwise now, and `part` what its part is called now.
 */
export function withScene(
  project: Project,
  scene: Scene,
  before: (name: string) => string = (name) => name,
  part: (name: string) => string = (name) => name,
): Project {
  const rig = rigOfScene(scene, project.rig);
  const known = new Map(memberNames(project.rig).map((name, member) => [name, project.parts[member]]));
  const found = findParts(rig);
  const parts = memberNames(rig).map((name, member) => {
    const had = known.get(before(name));
    return had === undefined ? found[member] : part(had);
  });
  return { ...project, scene, rig, parts: sameValue(parts, project.parts) ? project.parts : parts };
}
