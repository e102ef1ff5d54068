import { newId } from '../../id.js';
import { eventsOf, type MotionEvent } from '../../kit/events.js';
import type { Fit, Kit, KitLayer } from '../../kit/kit.js';
import { channelsOf, contactsOf, holding, targetsOf } from '../../layer/content.js';
import type { HeldLimb } from '../../layer/held-contacts.js';
import type { Layer } from '../../layer/layer.js';
import { layerIndex, type Project } from '../../layer/project.js';
import { emptyRecord, entryOf } from '../../record.js';
import { memberName } from '../../rig/members.js';
import { findParts } from '../../rig/parts.js';
import { characterOf } from '../../rig/rig.js';
import { rolesOf } from '../../rig/roles.js';
import { rootAt } from '../scene/root.js';
import { limbsStanding } from '../targets/keep-contacts.js';
import { takesOfKit } from './put-kit.js';

/** What a kit is made of. */
export interface NewKit {
  readonly name: string;
  /** Ids of layers, in any order. */
  readonly layers: readonly string[];
  /** Whether what stands in the world goes along with where the root starts. */
  readonly place?: 'world' | 'root';
  /** How layers, by id, find their place on another take; by events where it is not said. */
  readonly fits?: Readonly<Record<string, Fit>>;
  /** Its events, where they were corrected; else those of what is below the lowest of the layers. */
  readonly events?: readonly MotionEvent[];
}

/** Why no kit can be made of layers, in words for people; undefined where one can. */
export function kitRefusal(project: Project, layers: readonly string[]): string | undefined {
  const own = layers.filter((id) => layerIndex(project, id) > 0);
  if (layers.some((id) => layerIndex(project, id) === 0))
    return 'The base is the performance itself, and no part of a kit';
  return own.length === 0 ? 'No layer is picked' : undefined;
}

/**
 * Makes a kit of layers of a project: with the events of what is below the lowest of them, the roles of the joints that they name,
 * and the props, parts, groups, variants and takes that they need. Contacts that are those of what is below are found anew on
 * each take.
 */
export function makeKit(project: Project, { name, layers, place = 'world', fits = {}, events }: NewKit): Kit {
  const picked = project.layers.filter(({ id }, index) => index > 0 && layers.includes(id));
  const lowest = layerIndex(project, picked[0].id);
  const own = picked.map((layer): KitLayer => {
    const below = { ...project, layers: project.layers.slice(0, layerIndex(project, layer.id)) };
    return { ...withoutFound(layer, below), fit: entryOf(fits, layer.id) ?? 'events' };
  });
  const root = rootAt({ ...project, layers: project.layers.slice(0, lowest) }, project.range[0]);
  const ids = new Set(picked.map(({ id }) => id));
  const named = namesIn(picked);
  const rig = characterOf(project.rig);
  const groups = project.groups.filter(({ id }) => picked.some(({ group }) => group === id));
  const variants = project.variants.flatMap((variant) => {
    const said = Object.entries(variant.layers).filter(([id]) => ids.has(id));
    return said.length > 0 ? [{ ...variant, layers: Object.fromEntries(said) }] : [];
  });
  const kit = { layers: own, takes: project.takes };
  return {
    ...kit,
    takes: takesOfKit(kit),
    id: newId(),
    name,
    fps: project.fps,
    range: project.range,
    metresPerUnit: project.metresPerUnit,
    joints: rolesByName(project, named),
    parts: partsByHand(project),
    limbs: project.limbs,
    props: project.scene.props.filter((prop) => named.has(prop.name)),
    groups,
    variants,
    events: events ?? eventsOf(project, lowest),
    ...(place === 'root' && {
      root: { at: [root.position[0], root.position[1], root.position[2]], heading: root.heading },
    }),
    rig,
  };
}

/** A layer of which the contacts that are found below it are left to be found on each take. */
function withoutFound(layer: Layer, below: Project): Pick<KitLayer, 'layer' | 'found'> {
  const contacts = contactsOf(layer);
  if (!contacts) return { layer, found: [] };
  const standing = limbsStanding(below);
  const limbs = emptyRecord<HeldLimb>(contacts.limbs);
  const found = Object.entries(contacts.limbs).flatMap(([name, { spans }]) => {
    const own = entryOf(standing, name)?.spans ?? [];
    return JSON.stringify(own) === JSON.stringify(spans) ? [name] : [];
  });
  for (const name of found) limbs[name] = { ...limbs[name], spans: [] };
  return { layer: { ...layer, content: holding({ ...contacts, limbs }) }, found };
}

/** Names of joints, face channels and props that layers say something of. */
function namesIn(layers: readonly Layer[]): ReadonlySet<string> {
  const names = new Set<string>();
  for (const layer of layers) {
    for (const name of [
      ...Object.keys(channelsOf(layer)),
      ...Object.keys(layer.joints ?? {}),
      ...Object.keys(layer.allows ?? {}),
    ])
      names.add(name);
    for (const { joint, space } of targetsOf(layer)) {
      names.add(joint);
      if (space !== undefined) names.add(space);
    }
    for (const { points } of Object.values(contactsOf(layer)?.limbs ?? {}))
      for (const { joint } of points) names.add(joint);
    for (const part of Object.keys(layer.mask ?? {})) names.add(part);
  }
  return names;
}

/** The roles of joints that are named. */
function rolesByName(project: Project, named: ReadonlySet<string>): Kit['joints'] {
  const out = emptyRecord<string | undefined>();
  const roles = rolesOf(project.rig);
  for (const [j, { name }] of characterOf(project.rig).joints.entries())
    if (named.has(name)) out[name] = roles[j]?.role;
  return out;
}

/** Parts that are others than those that are found, with their members. */
function partsByHand(project: Project): Kit['parts'] {
  const found = findParts(project.rig);
  const parts = emptyRecord<string[]>();
  for (const [j, part] of project.parts.entries()) {
    if (part === found[j]) continue;
    parts[part] ??= [];
    parts[part].push(memberName(project.rig, j));
  }
  return parts;
}
