import { newId } from '../../id.js';
import { layerIndex, type Project } from '../../layer/project.js';
import type { Added } from './layers.js';
import { inGroup, placeLayers, withoutLoose } from './order.js';

/** A name that no group has. */
function freeGroupName(project: Project): string {
  const names = new Set(project.groups.map(({ name }) => name));
  let k = 1;
  while (names.has(`Group ${k}`)) k++;
  return `Group ${k}`;
}

/**
 * Makes a group of layers, where the topmost of them lies. The base can be in no group here: it has to stay at the bottom.
 * Groups that they leave empty are gone.
 */
export function groupLayers(project: Project, ids: readonly string[]): Added | undefined {
  const own = project.layers.filter(({ id }, index) => index > 0 && ids.includes(id));
  const top = own[own.length - 1];
  if (!top) return undefined;
  const id = newId();
  const group = { id, name: freeGroupName(project), muted: false, solo: false, weight: 1 };
  // In the middle of another group it would split that one: it lands above it.
  let above = layerIndex(project, top.id);
  const outer = top.group;
  while (outer !== undefined && project.layers[above + 1]?.group === outer) above++;
  const placed = placeLayers(
    { ...project, groups: [...project.groups, group] },
    own.map((layer) => layer.id),
    { above: project.layers[above].id, group: id },
  );
  return { project: placed, id };
}

/** Lets the layers of a group go. What its weight took from them is theirs to set again. */
export function ungroup(project: Project, id: string): Project {
  return withoutLoose({
    ...project,
    layers: project.layers.map((layer) => (layer.group === id ? inGroup(layer, undefined) : layer)),
  });
}

/** The ids of the layers of a group, from below. */
export const layersOfGroup = ({ layers }: Project, id: string): string[] =>
  layers.flatMap((layer) => (layer.group === id ? [layer.id] : []));
