import { contactsOf, holding } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { baseOf, layerIndex, type Project } from '../../layer/project.js';

/** Where layers are put: right above a layer, and in which group, if in any. */
export interface Place {
  readonly above: string;
  readonly group?: string;
}

/** A layer in a group, or in none. */
export function inGroup(layer: Layer, group: string | undefined): Layer {
  if (layer.group === group) return layer;
  const { group: _, ...plain } = layer;
  return group === undefined ? plain : { ...plain, group };
}

/** Layers of which none holds contacts like a layer that is not below it: their ends turn back as in the lowest then. */
export function likeBelow(layers: readonly Layer[]): readonly Layer[] {
  const below = new Set<string>();
  const kept = layers.map((layer) => {
    const held = contactsOf(layer);
    const knows = held?.like === undefined || below.has(held.like);
    below.add(layer.id);
    if (knows) return layer;
    const { like: _, ...plain } = held;
    return { ...layer, content: holding(plain) };
  });
  return kept.every((layer, k) => layer === layers[k]) ? layers : kept;
}

/**
 * The project without groups that hold no layer, and without what variants and contacts say of layers that are gone or not
 * below any more.
 */
export function withoutLoose(project: Project): Project {
  const used = new Set(project.layers.map(({ group }) => group));
  const ids = new Set(project.layers.map(({ id }) => id));
  const groups = project.groups.filter(({ id }) => used.has(id));
  const loose = project.variants.some(({ layers }) => Object.keys(layers).some((id) => !ids.has(id)));
  return {
    ...project,
    layers: likeBelow(project.layers),
    groups: groups.length === project.groups.length ? project.groups : groups,
    variants: loose
      ? project.variants.map((variant) => ({
          ...variant,
          layers: Object.fromEntries(Object.entries(variant.layers).filter(([id]) => ids.has(id))),
        }))
      : project.variants,
  };
}

/** Puts layers, in the order that they have, right above another one. The base stays at the bottom. */
export function placeLayers(project: Project, ids: readonly string[], { above, group }: Place): Project {
  const moved = project.layers.filter(({ id }, index) => index > 0 && ids.includes(id));
  if (moved.length === 0) return project;
  // The layer that they are to lie above may be one of them: then it is the next below that stays.
  let below = layerIndex(project, above);
  while (below > 0 && moved.includes(project.layers[below])) below--;
  if (below < 0) return project;
  const others = project.layers.filter((layer) => !moved.includes(layer));
  const at = others.indexOf(project.layers[below]) + 1;
  const layers = others.toSpliced(at, 0, ...moved.map((layer) => inGroup(layer, group)));
  return layers.every((layer, i) => layer === project.layers[i])
    ? project
    : withoutLoose({ ...project, layers });
}

/** Layers that follow one another and move as one: a group, or a single layer. */
interface Block {
  readonly layers: readonly Layer[];
  readonly group?: string;
}

/** The stack above the base as blocks, of which a group is one. */
function blocksOf({ layers }: Project): Block[] {
  const blocks: Block[] = [];
  for (const layer of layers.slice(1)) {
    const last = blocks[blocks.length - 1];
    if (layer.group !== undefined && last?.group === layer.group)
      blocks[blocks.length - 1] = { ...last, layers: [...last.layers, layer] };
    else blocks.push({ layers: [layer], group: layer.group });
  }
  return blocks;
}

/** Moves a group up (`by` 1) or down (-1): past the next layer, or past the whole of the next group. */
export function moveGroup(project: Project, id: string, by: 1 | -1): Project {
  const blocks = blocksOf(project);
  const from = blocks.findIndex(({ group }) => group === id);
  const to = from + by;
  if (from < 0 || to < 0 || to >= blocks.length) return project;
  const moved = blocks.toSpliced(from, 1).toSpliced(to, 0, blocks[from]);
  return withoutLoose({ ...project, layers: [baseOf(project), ...moved.flatMap(({ layers }) => layers)] });
}

/**
 * Moves layers up (`by` 1) or down (-1) in the stack, each by one step: past the next layer, into a group that is next to it,
 * or out of its own at the end of that. Those that have nowhere to go stay, and so does the base.
 */
export function moveLayers(project: Project, ids: readonly string[], by: 1 | -1): Project {
  const order = project.layers.filter(({ id }, index) => index > 0 && ids.includes(id));
  if (by > 0) order.reverse();
  let current = project;
  const stuck = new Set<string>();
  for (const { id } of order) {
    const index = layerIndex(current, id);
    const layer = current.layers[index];
    const next = index + by;
    const neighbour: Layer | undefined = next > 0 ? current.layers[next] : undefined;
    if (neighbour && stuck.has(neighbour.id) && neighbour.group === layer.group) {
      stuck.add(id);
      continue;
    }
    let layers = current.layers;
    if (neighbour?.group === layer.group && neighbour)
      layers = layers.toSpliced(index, 1).toSpliced(next, 0, layer);
    else if (layer.group !== undefined) layers = layers.with(index, inGroup(layer, undefined));
    else if (neighbour) layers = layers.with(index, inGroup(layer, neighbour.group));
    else stuck.add(id);
    current = layers === current.layers ? current : { ...current, layers };
  }
  return current === project ? project : withoutLoose(current);
}
