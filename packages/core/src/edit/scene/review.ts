import { takeOf } from '../../layer/content.js';
import type { Project } from '../../layer/project.js';

/** A project as a review shows it: without what only the animator needs, and without takes that no layer plays. */
export function forReview(
  project: Project,
  range: readonly [number, number],
  variants: readonly string[],
): Project {
  const played = new Set(project.layers.flatMap((layer) => takeOf(layer)?.take ?? []));
  return {
    ...project,
    range,
    takes: project.takes.filter(({ id }) => played.has(id)),
    variants: project.variants.filter(({ name }) => variants.includes(name)),
    poses: [],
    sets: [],
    views: [],
    mappings: [],
  };
}
