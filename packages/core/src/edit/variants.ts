import { layerById, type Project } from '../layer/project.js';
import { type Variant, type VariantLayer, withVariant } from '../layer/variant.js';
import { entryOf } from '../record.js';
import { sameValue } from './change.js';

const named = (project: Project, name: string) => project.variants.find((one) => one.name === name);

function freeVariantName(project: Project): string {
  let k = 1;
  while (named(project, `Variant ${k}`)) k++;
  return `Variant ${k}`;
}

/** Keeps which layers are muted and what they weigh, as they are seen with the variant `shown`, under a new name. */
export function addVariant(project: Project, shown?: string): { project: Project; name: string } {
  const name = freeVariantName(project);
  const seen = withVariant(project, shown);
  const layers = Object.fromEntries(
    seen.layers.map(({ id, muted, weight }): [string, VariantLayer] => [id, { muted, weight }]),
  );
  const variant: Variant = { name, layers, ...(seen.range !== project.range && { range: seen.range }) };
  return { project: { ...project, variants: [...project.variants, variant] }, name };
}

/** Gives a variant another name. One that is empty or taken changes nothing. */
export function renameVariant(project: Project, name: string, to: string): Project {
  const trimmed = to.trim();
  if (trimmed === '' || trimmed === name || named(project, trimmed)) return project;
  return changeVariant(project, name, (variant) => ({ ...variant, name: trimmed }));
}

export const deleteVariant = (project: Project, name: string): Project =>
  named(project, name)
    ? { ...project, variants: project.variants.filter((one) => one.name !== name) }
    : project;

/** Lets a variant have a range of its own, or that of the project. */
export const setVariantRange = (project: Project, name: string, range: Variant['range']): Project =>
  changeVariant(project, name, ({ range: _, ...variant }) => (range ? { ...variant, range } : variant));

function changeVariant(project: Project, name: string, change: (variant: Variant) => Variant): Project {
  const before = named(project, name);
  const after = before && change(before);
  return !after || sameValue(before, after)
    ? project
    : { ...project, variants: project.variants.map((one) => (one === before ? after : one)) };
}

/**
 * Edits a project as it is seen with a variant. What then is muted otherwise or weighs otherwise, and another range, go
 * into the variant; the layers keep their own. Everything else is changed on the layers as ever.
 */
export function editVariant(project: Project, name: string, edit: (seen: Project) => Project): Project {
  const variant = named(project, name);
  if (!variant) return edit(project);
  const seen = withVariant(project, name);
  const after = edit(seen);
  if (after === seen) return project;
  const said: Record<string, VariantLayer> = { ...variant.layers };
  const layers = after.layers.map((layer) => {
    const before = layerById(seen, layer.id);
    const own = layerById(project, layer.id);
    if (!before || !own) return layer;
    const changed: VariantLayer = {
      ...(layer.muted !== before.muted && { muted: layer.muted }),
      ...(layer.weight !== before.weight && { weight: layer.weight }),
    };
    if (Object.keys(changed).length > 0)
      said[layer.id] = { ...entryOf(variant.layers, layer.id), ...changed };
    if (layer === before) return own;
    return { ...layer, muted: own.muted, weight: own.weight };
  });
  const ranged = after.range !== seen.range;
  const result: Project = { ...after, layers, range: project.range };
  return changeVariant(result, name, (one) => ({
    ...one,
    layers: Object.fromEntries(Object.entries(said).filter(([id]) => layerById(result, id))),
    ...(ranged && { range: after.range }),
  }));
}
