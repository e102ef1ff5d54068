import { LAYER_COLORS, type Layer } from './layer.js';
import type { Project } from './project.js';

/** Puts a layer into the stack at an index, into the group of the one that comes to lie below it. */
export function insertLayer(project: Project, layer: Layer, index: number): Project {
  const { group: _, ...plain } = layer;
  const group = project.layers[index - 1]?.group;
  return {
    ...project,
    layers: project.layers.toSpliced(index, 0, group === undefined ? plain : { ...plain, group }),
  };
}

/** The next colour of the palette that no layer has, or the one used longest ago. */
export function freeColor(project: Project): string {
  const used = project.layers.map((layer) => layer.color);
  return (
    LAYER_COLORS.find((color) => !used.includes(color)) ??
    LAYER_COLORS[(project.layers.length - 1) % LAYER_COLORS.length]
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
