import { type Group, groupAsLayer } from '../layer/group.js';
import type { Layer } from '../layer/layer.js';
import { groupById, type Project } from '../layer/project.js';
import { alongBorders } from './weights/borders.js';

/**
 * Whether two values of a project say the same. What both share is not looked into, so that this costs no more than
 * what was changed.
 */
export function sameValue(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((value, i) => sameValue(value, b[i]));
  if (ArrayBuffer.isView(a) || ArrayBuffer.isView(b) || Array.isArray(a) || Array.isArray(b)) return false;
  const [one, other] = [a as Record<string, unknown>, b as Record<string, unknown>];
  return [...new Set([...Object.keys(one), ...Object.keys(other)])].every((name) =>
    sameValue(one[name], other[name]),
  );
}

/**
 * Replaces one layer by what `change` makes of it; of a group, which stands as a layer without content, the weight is
 * taken over. Parts that were opened for a soft border follow those that they border on. The same project comes back
 * where nothing changed.
 */
export function changeLayer(project: Project, id: string, change: (layer: Layer) => Layer): Project {
  const index = project.layers.findIndex((layer) => layer.id === id);
  if (index < 0) {
    const group = groupById(project, id);
    return group ? changeGroup(project, id, { weight: change(groupAsLayer(group)).weight }) : project;
  }
  const before = project.layers[index];
  const changed = alongBorders(project, before, change(before));
  return sameValue(changed, before) ? project : { ...project, layers: project.layers.with(index, changed) };
}

/** Gives a group other values. The same project comes back where nothing changed. */
export function changeGroup(project: Project, id: string, values: Partial<Omit<Group, 'id'>>): Project {
  const before = groupById(project, id);
  const after = before && { ...before, ...values };
  return !after || sameValue(before, after)
    ? project
    : { ...project, groups: project.groups.map((group) => (group.id === id ? after : group)) };
}
