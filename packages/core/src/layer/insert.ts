import { LAYER_COLORS, type Layer } from './layer.js';
import type { Project } from './project.js';

/**
 * Puts a layer into the stack at an index, into the group of the one that comes to lie below it. Where it has the colour of a
 * neighbour it takes another.
 */
export function insertLayer(project: Project, layer: Layer, index: number): Project {
  const { group: _, ...own } = layer;
  const beside = [project.layers[index - 1]?.color, project.layers[index]?.color];
  const plain =
    own.color !== undefined && beside.includes(own.color)
      ? { ...own, color: rareColor(project, beside) }
      : own;
  const group = project.layers[index - 1]?.group;
  return {
    ...project,
    layers: project.layers.toSpliced(index, 0, group === undefined ? plain : { ...plain, group }),
  };
}

/** The next colour of the palette that the fewest layers have. */
export const freeColor = (project: Project): string => rareColor(project, []);

/** The first colour of the palette that the fewest layers have, of those that are not `beside` it. */
export function rareColor({ layers }: Project, beside: readonly (string | undefined)[]): string {
  const count = (color: string): number => layers.filter((layer) => layer.color === color).length;
  return LAYER_COLORS.filter((color) => !beside.includes(color)).reduce((best, color) =>
    count(color) < count(best) ? color : best,
  );
}

/** A name that no layer has: the stem with a number, or bare where that is free and asked for. */
export function freeName(project: Project, stem: string, bare = false): string {
  const names = new Set(project.layers.map((layer) => layer.name));
  if (bare && !names.has(stem)) return stem;
  let k = 1;
  while (names.has(`${stem} ${k}`)) k++;
  return `${stem} ${k}`;
}
