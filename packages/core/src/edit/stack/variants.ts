import { layerById, type Project } from '../../layer/project.js';
import { type Variant, type VariantLayer, withVariant } from '../../layer/variant.js';
import { entryOf } from '../../record.js';
import { sameValue } from '../change.js';

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
  const range = shown === undefined ? undefined : named(project, shown)?.range;
  const variant: Variant = { name, layers, ...(range && { range }) };
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
 * Edits a project as it is seen with a variant. What then is muted or weighs otherwise, and another range, go `into` the
 * variant, and the layers keep their own; or into the layers, of which the variant then says nothing any more, so that it
 * is seen. A layer that is new belongs to the variant that is shown: wherever that is not shown it is muted. Everything
 * else is changed on the layers as ever.
 */
export function editVariant(
  project: Project,
  name: string,
  edit: (seen: Project) => Project,
  into: 'variant' | 'layers' = 'variant',
): Project {
  const variant = named(project, name);
  if (!variant) return edit(project);
  const seen = withVariant(project, name);
  const after = edit(seen);
  if (after === seen) return project;
  const said: Record<string, VariantLayer> = { ...variant.layers };
  const layers = after.layers.map((layer, index) => {
    const before = layerById(seen, layer.id);
    const own = layerById(project, layer.id);
    if (!own) {
      if (into === 'layers' || layer.muted || index === 0) return layer;
      said[layer.id] = { muted: false };
      return { ...layer, muted: true };
    }
    if (!before) return layer;
    if (layer === before) return own;
    const kept: { -readonly [F in keyof VariantLayer]: VariantLayer[F] } = { ...entryOf(said, layer.id) };
    const next = { ...layer, muted: own.muted, weight: own.weight };
    if (layer.muted !== before.muted) {
      if (into === 'variant') kept.muted = layer.muted;
      else {
        next.muted = layer.muted;
        delete kept.muted;
      }
    }
    if (layer.weight !== before.weight) {
      if (into === 'variant') kept.weight = layer.weight;
      else {
        next.weight = layer.weight;
        delete kept.weight;
      }
    }
    said[layer.id] = kept;
    return next;
  });
  const ranged = after.range !== seen.range;
  const own = ranged && into === 'layers';
  const result: Project = { ...after, layers, range: own ? after.range : project.range };
  return changeVariant(result, name, ({ range, ...one }) => ({
    ...one,
    layers: Object.fromEntries(
      Object.entries(said).filter(([id, values]) => layerById(result, id) && Object.keys(values).length > 0),
    ),
    ...(ranged ? into === 'variant' && { range: after.range } : range && { range }),
  }));
}
