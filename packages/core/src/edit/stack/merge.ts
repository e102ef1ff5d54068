import { layerOfRun, type MergePlan } from '../../bake/merge.js';
import { newId } from '../../id.js';
import { standingLimbs } from '../../kit/events.js';
import { walkOf } from '../../layer/applied-walk.js';
import { type Content, channelsOf, contactsOf, isKeyed, takeOf } from '../../layer/content.js';
import type { Stands } from '../../layer/held-contacts.js';
import { freeColor } from '../../layer/insert.js';
import { type Layer, newLayer } from '../../layer/layer.js';
import { baseOf, type Project } from '../../layer/project.js';
import { emptyRecord, withMore } from '../../record.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { characterIndex, ownName } from '../../rig/rig.js';
import { ownerOf } from '../../rig/topology.js';
import { CONTACT_LIMITS, type Contacts, tidyContacts } from '../../take/contacts.js';
import type { Take } from '../../take/take.js';
import type { Added } from './layers.js';
import { likeBelow } from './order.js';

/** What a merged layer holds: curves, or a take that plays from the beginning of the range. */
export interface Merged {
  readonly content: Content;
  /** A take that the content plays. */
  readonly take?: Take;
  /** The base that was keyed, as a take that stays. */
  readonly before?: Take;
  /** What the run does with further characters, where it becomes takes: one each, on layers of their own above the merged one. */
  readonly others?: readonly { readonly character: number; readonly content: Content; readonly take: Take }[];
}

/**
 * Puts what was baked on top of the stack: an override layer that acts over the baked range and no further. Returns the
 * project and the id of the layer.
 */
export function addBaked(
  project: Project,
  name: string,
  [start, end]: readonly [number, number],
  { content, take }: Merged,
): Added {
  const stands = standsBelow(project, project.layers.length, content, false);
  const layer = newLayer(name, 'override', {
    color: freeColor(project),
    content,
    ...(stands && { stands }),
    span: { start, end },
    ...(take && start !== 0 && { time: { offset: start, speed: 1, loop: 'none' as const } }),
  });
  const player = Math.max(0, characterIndex(project.rig, takeOf({ content })?.character));
  const made = take && withContactsOf(project, project.layers.length, take, start, player);
  const takes = made ? [...project.takes, made] : project.takes;
  return { project: { ...project, takes, layers: [...project.layers, layer] }, id: layer.id };
}

/** Puts layers right over the base, below all that were there, in their order from below. */
export const addOverBase = (project: Project, layers: readonly Layer[]): Project => ({
  ...project,
  layers: [baseOf(project), ...layers, ...project.layers.slice(1)],
});

/**
 * Puts one layer in the place of a run that was merged. It has the id and the colour of the top one, its name (of a new base that of the base) and counts in
 * full; what variants say of layers of the run is gone, and so are groups without layers. Takes stay. What is merged begins
 * on frame `start`.
 */
export function putMerged(
  project: Project,
  { from, to, kind, solo, group }: Pick<MergePlan, 'from' | 'to' | 'kind' | 'solo' | 'group'>,
  { content, take, before, others = [] }: Merged,
  start = project.range[0],
): Project {
  const { layers, groups, variants, takes } = project;
  const known = (one: Take, character: number) =>
    kind === 'additive' ? one : withContactsOf(project, to + 1, one, start, character);
  const own = takeOf({ content })?.character;
  const made = take && known(take, Math.max(0, characterIndex(project.rig, own)));
  const time = take && start !== 0 && { time: { offset: start, speed: 1, loop: 'none' as const } };
  const stands = kind !== 'additive' && standsBelow(project, to + 1, content, kind === 'base');
  const layer: Layer = {
    ...layerOfRun(layers, { from, to, kind, solo, group }, content),
    ...time,
    ...(stands && { stands }),
  };
  const beside = others.map(
    (one): Layer => ({
      ...layerOfRun(
        layers,
        { from, to, kind: kind === 'base' ? 'override' : kind, solo, group },
        one.content,
      ),
      id: newId(),
      name: `${layer.name}, ${project.scene.characters[one.character].name}`,
      ...time,
    }),
  );
  const gone = new Set(layers.slice(from, to + 1).map((one) => one.id));
  const left = likeBelow(layers.toSpliced(from, to - from + 1, layer, ...beside));
  return {
    ...project,
    layers: left,
    takes: [
      ...takes,
      ...(before ? [before] : []),
      ...(made ? [made] : []),
      ...others.map((one) => known(one.take, one.character)),
    ],
    groups: groups.filter((one) => left.some((other) => other.group === one.id)),
    variants: variants.map((variant) => ({
      ...variant,
      layers: Object.assign(
        emptyRecord<(typeof variant.layers)[string]>(),
        Object.fromEntries(Object.entries(variant.layers).filter(([of]) => !gone.has(of))),
      ),
    })),
  };
}

/**
 * When the limbs that keys drive (those of a base all) stand below an index of the stack, where that is said and not only found
 * in keys; undefined where nothing says it.
 */
function standsBelow(project: Project, end: number, content: Content, base: boolean): Stands | undefined {
  if (!isKeyed({ content })) return undefined;
  const { takes, layers, rig } = project;
  const says = layers
    .slice(0, end)
    .some(
      (layer) =>
        contactsOf(layer) ??
        layer.stands ??
        walkOf(layer) ??
        takes.find(({ id }) => id === takeOf(layer)?.take)?.contacts,
    );
  if (!says) return undefined;
  const keyed = channelsOf({ content });
  const driven = new Set(
    compiledLimbs(rig, project.limbs).flatMap(({ name, chain }) =>
      base || chain.some((joint) => Object.hasOwn(keyed, rig.joints[joint].name)) ? [name] : [],
    ),
  );
  const stands = [...standingLimbs(project, end)].filter(([name]) => driven.has(name));
  return stands.length > 0 ? Object.fromEntries(stands) : undefined;
}

/** A take of a merged run with the contacts that the layers below an index of the stack had for its character; `start` is the frame at which it begins. */
function withContactsOf(project: Project, end: number, take: Take, start: number, character: number): Take {
  if (take.contacts) return take;
  const limbs = compiledLimbs(project.rig, project.limbs);
  const sampleOf = (frame: number) =>
    Math.max(0, Math.min(take.count - 1, Math.round((frame - start) / project.fps / take.interval)));
  const standing = [...standingLimbs(project, end)].flatMap(([name, spans]) => {
    const chain = limbs.find((limb) => limb.name === name)?.chain;
    if (!chain || ownerOf(project.rig, chain[0]) !== character) return [];
    return [{ joint: ownName(project.rig.joints[chain[chain.length - 1]].name), spans }];
  });
  if (standing.length === 0) return take;
  const contacts: Contacts = {
    limits: CONTACT_LIMITS,
    joints: standing.map(({ joint }) => joint),
    spans: tidyContacts(
      standing.flatMap(({ joint, spans }) =>
        spans.map(([from, to]) => ({ joint, from: sampleOf(from), to: sampleOf(to) })),
      ),
    ),
  };
  return withMore(take, { contacts });
}
