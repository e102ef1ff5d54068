import { newId } from '../../id.js';
import { atEach } from '../../kit/each.js';
import { eventsOf, type MotionEvent } from '../../kit/events.js';
import type { Fit, Kit, KitLayer } from '../../kit/kit.js';
import { type EventLine, type EventPair, eventLine, movedBy, type Timed } from '../../kit/line.js';
import { hangsOn, moveOf, waysBy } from '../../kit/move-layer.js';
import { contactsOf, holding, isEmpty, takeOf } from '../../layer/content.js';
import type { HeldContacts } from '../../layer/held-contacts.js';
import { rareColor } from '../../layer/insert.js';
import type { Layer } from '../../layer/layer.js';
import { mapGroup, mapLayer, mapVariant } from '../../layer/map-frames.js';
import { mapTime } from '../../layer/map-time.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { sizeFor } from '../../layer/prop.js';
import { counted } from '../../layer/time-map.js';
import { entryOf } from '../../record.js';
import { limbsOf } from '../../rig/limbs.js';
import { memberName } from '../../rig/members.js';
import { characterOf, jointIndex } from '../../rig/rig.js';
import { addProp, freePropName } from '../scene/props.js';
import { rootAt } from '../scene/root.js';
import { limbsStanding } from '../targets/keep-contacts.js';
import { layersAtRoot, moveToRoot, placeProp, propBy, rootAtSize } from './at-root.js';
import { betweenRigs } from './between-rigs.js';
import { type LeftOut, layersOnto } from './onto-rig.js';

/** Pieces of the line that become less than half or more than twice as long are told. */
const SHORTEST = 0.5;
const LONGEST = 2;

/** What came of a kit on a take. */
export interface PutReport {
  readonly pairs: readonly EventPair[];
  /** Events of the kit that found no partner, at the rate of the project. */
  readonly lonely: readonly MotionEvent[];
  /** Layers, by name, none of whose events found one: they are shifted. */
  readonly shifted: readonly string[];
  /** Pieces between two pairs that are much shorter or longer than in the kit. */
  readonly bent: readonly { readonly from: EventPair; readonly to: EventPair; readonly scale: number }[];
  /** Spans of contacts that have become too short, by layer. */
  readonly spansOut: readonly { readonly layer: string; readonly count: number }[];
  readonly leftOut: readonly LeftOut[];
  /** Layers, by name, of which nothing is left. */
  readonly idle: readonly string[];
}

/** A project with the layers of a kit, and what came of it. */
export interface KitPut {
  readonly project: Project;
  /** Ids of the layers that were put, from the lowest up. */
  readonly layers: readonly string[];
  readonly report: PutReport;
}

/** Where a kit is put, and how. */
export interface PutOptions {
  /** Id of the layer that it is put above; the topmost where missing. */
  readonly above?: string;
  /** How layers of the kit, by id, find their place where it is not as the kit says. */
  readonly fits?: Readonly<Record<string, Fit>>;
}

/** A kit counted at the rate of a project. */
function atRate(kit: Kit, project: Project): Kit {
  if (kit.fps === project.fps) return kit;
  const ratio = project.fps / kit.fps;
  const { layers, groups, variants } = mapTime(
    {
      ...project,
      groups: kit.groups,
      variants: kit.variants,
      marks: [],
      layers: kit.layers.map(({ layer }) => layer),
    },
    counted(project.fps, kit.fps),
  ).project;
  return {
    ...kit,
    fps: project.fps,
    range: [kit.range[0] * ratio, kit.range[1] * ratio],
    groups,
    variants,
    events: kit.events.map(({ name, frame }) => ({ name, frame: frame * ratio })),
    layers: kit.layers.map((one, k) => ({ ...one, layer: layers[k], fit: fitAtRate(one.fit, ratio) })),
  };
}

const fitAtRate = (fit: Fit, ratio: number): Fit =>
  typeof fit === 'string' ? fit : { ...fit, at: fit.at * ratio, from: fit.from * ratio, to: fit.to * ratio };

/** The kit with other fits of its layers. */
const withFits = (kit: Kit, fits: PutOptions['fits']): Kit =>
  fits
    ? { ...kit, layers: kit.layers.map((one) => ({ ...one, fit: entryOf(fits, one.layer.id) ?? one.fit })) }
    : kit;

/** Which events of a kit meet which of what a project shows below its topmost layers, before it is put there. */
export const lineOf = (kit: Kit, project: Project, end = project.layers.length): EventLine =>
  eventLine(atRate(kit, project), { range: project.range, events: eventsOf(project, end) }, project.fps);

/**
 * Puts the layers of a kit on a project, above a layer: their frames find their place by the events of what is below, joints by
 * their names or roles, lengths by the size of the character. Its takes, props, groups and variants come with it.
 */
export function putKit(project: Project, kit: Kit, { above, fits }: PutOptions = {}): KitPut {
  const timed = withFits(atRate(kit, project), fits);
  const at = placeFor(project, above);
  const take: Timed = { range: project.range, events: eventsOf(project, at) };
  const line = eventLine(timed, take, project.fps);
  const leftOut: LeftOut[] = [];
  const scene = sceneFor(timed, project, at);
  const placed = scene.layers((left) => leftOut.push(left));
  const report = {
    shifted: [] as string[],
    spansOut: [] as { layer: string; count: number }[],
    idle: [] as string[],
  };
  const ids = freeIds(kit, project);
  let current = withTakesOf(timed, scene.project);
  const put: string[] = [];
  for (const [k, one] of placed.entries()) {
    const original = timed.layers[k];
    const moved = moveOne(one, original, timed, take, line, report);
    const below = { ...current, layers: current.layers.slice(0, at + put.length) };
    const layer =
      moved &&
      withNames(withFound(moved, one.found, below), ids, below, (name) =>
        leftOut.push({ layer: one.layer.name, what: 'like', name }),
      );
    if (!layer || (isEmpty(layer) && !isEmpty(original.layer))) {
      report.idle.push(one.layer.name);
      continue;
    }
    current = { ...current, layers: current.layers.toSpliced(at + put.length, 0, layer) };
    put.push(layer.id);
  }
  return {
    project: withColors(withGroupsAndVariants(current, timed, line, ids, new Set(put)), put),
    layers: put,
    report: {
      pairs: line.pairs,
      lonely: line.lonely,
      shifted: report.shifted,
      bent: bentIn(line),
      spansOut: report.spansOut,
      leftOut,
      idle: report.idle,
    },
  };
}

/** The index at which a kit comes into the stack: above a layer, and above the group that it is in. */
function placeFor({ layers }: Project, above: string | undefined): number {
  const index = above === undefined ? layers.length - 1 : layers.findIndex(({ id }) => id === above);
  if (index < 0) return layers.length;
  const { group } = layers[index];
  const next =
    group === undefined ? index + 1 : layers.findIndex((one, k) => k > index && one.group !== group);
  return next < 0 ? layers.length : next;
}

/** The layers of a kit on the scene of a project, which has its props, and a place for what stood in its world. */
function sceneFor(
  kit: Kit,
  project: Project,
  at: number,
): {
  readonly project: Project;
  readonly layers: (leave: (left: LeftOut) => void) => readonly KitLayer[];
} {
  const rig = characterOf(project.rig);
  const { ratio } = betweenRigs(kit.rig ?? rig, rig);
  const root = rootAtSize(kit, ratio);
  const now = root && rootAt({ ...project, layers: project.layers.slice(0, at) }, project.range[0]);
  const move =
    root &&
    now &&
    moveToRoot(root, { at: [now.position[0], now.position[1], now.position[2]], heading: now.heading });
  let current = withPartsOf(kit, withLimbsOf(kit, project));
  const names = new Map<string, string>();
  for (const prop of kit.props) {
    const has = project.scene.props.some(({ name }) => name === prop.name);
    const name = has ? prop.name : freePropName(current, prop.name);
    names.set(prop.name, name);
    if (has) continue;
    const sized = {
      ...prop,
      name,
      at: [prop.at[0] * ratio, prop.at[1] * ratio, prop.at[2] * ratio] as const,
    };
    current = addProp(current, move ? propBy(sized, move) : sized);
  }
  if (!move) return { project: current, layers: (leave) => layersOnto(kit, current, names, leave) };
  const place = freePropName(current, kit.name);
  const withPlace = addProp(current, placeProp(place, move, sizeFor(rig)));
  return {
    project: withPlace,
    layers: (leave) =>
      layersAtRoot(layersOnto(kit, withPlace, names, leave), move, place, new Set(names.values())),
  };
}

/** A project with the limbs that were said of the kit's character, where it has none of their names and all of their joints. */
function withLimbsOf(kit: Kit, project: Project): Project {
  const known = new Set(limbsOf(project.rig, project.limbs).map(({ name }) => name));
  const more = Object.entries(kit.limbs).filter(
    ([name, limb]) =>
      limb &&
      !known.has(name) &&
      !Object.hasOwn(project.limbs, name) &&
      limb.chain.every((joint) => jointIndex(project.rig, joint) >= 0),
  );
  return more.length > 0 ? { ...project, limbs: { ...project.limbs, ...Object.fromEntries(more) } } : project;
}

/** A project with the parts that were made by hand on the kit's character, where it has none of their names and masks of none of their joints. */
function withPartsOf(kit: Kit, project: Project): Project {
  if (project.layers.some(({ mask }) => mask)) return project;
  const more = Object.entries(kit.parts).filter(([part]) => !project.parts.includes(part));
  const partOf = new Map(more.flatMap(([part, names]) => names.map((name) => [name, part] as const)));
  if (partOf.size === 0) return project;
  return {
    ...project,
    parts: project.parts.map((part, j) => partOf.get(memberName(project.rig, j)) ?? part),
  };
}

function withTakesOf(kit: Kit, project: Project): Project {
  const more = kit.takes.filter(({ id }) => !project.takes.some((take) => take.id === id));
  return more.length > 0 ? { ...project, takes: [...project.takes, ...more] } : project;
}

/** Ids for the layers and groups of a kit: their own where the project has them not. */
function freeIds(kit: Kit, project: Project): ReadonlyMap<string, string> {
  const taken = new Set([...project.layers, ...project.groups].map(({ id }) => id));
  return new Map(
    [...kit.layers.map(({ layer }) => layer), ...kit.groups].map(({ id }) => [
      id,
      taken.has(id) ? newId() : id,
    ]),
  );
}

/** A layer at the frames of the take; undefined where it comes at none. */
function moveOne(
  { layer, fit }: KitLayer,
  original: KitLayer,
  kit: Kit,
  take: Timed,
  line: EventLine,
  report: { readonly shifted: string[]; readonly spansOut: { layer: string; count: number }[] },
): Layer | undefined {
  if (typeof fit === 'object')
    return atEach(
      layer,
      fit,
      take.events.filter(({ name }) => name === fit.each).map(({ frame }) => frame),
      take.range,
    );
  const hangs = hangsOn(original, kit);
  const alone = fit === 'events' && hangs.length > 0 && hangs.every((event) => line.lonely.includes(event));
  if (alone) report.shifted.push(layer.name);
  let gone = 0;
  const moved = mapLayer(
    layer,
    waysBy(moveOf(alone ? 'shift' : fit, kit, take, line), () => gone++),
  );
  if (gone > 0) report.spansOut.push({ layer: layer.name, count: gone });
  return moved;
}

/** A layer whose contacts are those of what is below, where they are to be found; points that are missing are those of the take's limb. */
function withFound(layer: Layer, found: readonly string[], below: Project): Layer {
  const contacts = contactsOf(layer);
  if (!contacts) return layer;
  const missing = Object.values(contacts.limbs).some(({ points }) => points.length === 0);
  if (found.length === 0 && !missing) return layer;
  const standing = limbsStanding(below);
  const limbs = Object.entries(contacts.limbs).flatMap(([name, held]) => {
    const own = entryOf(standing, name);
    const points = held.points.length > 0 ? held.points : (own?.points ?? []);
    const spans = found.includes(name) ? (own?.spans ?? []) : held.spans;
    return points.length > 0 ? [[name, { points, spans }] as const] : [];
  });
  return {
    ...layer,
    content: holding({ ...contacts, limbs: Object.fromEntries(limbs) as HeldContacts['limbs'] }),
  };
}

/** A layer with its id and those that it names as they are in the project. */
function withNames(
  layer: Layer,
  ids: ReadonlyMap<string, string>,
  below: Project,
  leave: (name: string) => void,
): Layer {
  const { group, ...rest } = layer;
  const own = { ...rest, id: ids.get(layer.id)!, ...(group !== undefined && { group: ids.get(group) }) };
  const contacts = contactsOf(own);
  const { like } = contacts ?? {};
  if (!contacts || like === undefined) return own;
  const named = ids.get(like) ?? like;
  if (layerById(below, named)) return { ...own, content: holding({ ...contacts, like: named }) };
  leave(like);
  const { like: _, ...plain } = contacts;
  return { ...own, content: holding(plain) };
}

/** Groups and variants of a kit, by its events, as far as layers of them were put. */
function withGroupsAndVariants(
  project: Project,
  kit: Kit,
  line: EventLine,
  ids: ReadonlyMap<string, string>,
  put: ReadonlySet<string>,
): Project {
  const move = movedBy(line);
  const ways = waysBy(move, () => {});
  const used = new Set(
    project.layers.flatMap(({ id, group }) => (put.has(id) && group !== undefined ? [group] : [])),
  );
  const groups = kit.groups
    .map((group) => ({ ...mapGroup(group, ways), id: ids.get(group.id)! }))
    .filter(({ id }) => used.has(id));
  const names = new Set(project.variants.map(({ name }) => name));
  const variants = kit.variants.map((variant) => {
    const moved = mapVariant(
      variant,
      ways,
      () => true,
      ([a, b]) => [move.to(a), move.to(b)],
    );
    const layers = Object.entries(moved.layers).flatMap(([id, said]) => {
      const own = ids.get(id);
      return own !== undefined && put.has(own) ? [[own, said] as const] : [];
    });
    let { name } = variant;
    for (let k = 2; names.has(name); k++) name = `${variant.name} ${k}`;
    names.add(name);
    return { ...moved, name, layers: Object.fromEntries(layers) };
  });
  return { ...project, groups: [...project.groups, ...groups], variants: [...project.variants, ...variants] };
}

/** Layers that were put get colours where they brought none, or the one of a neighbour. */
function withColors(project: Project, put: readonly string[]): Project {
  const layers = [...project.layers];
  for (const id of put) {
    const index = layerIndex(project, id);
    const beside = [layers[index - 1]?.color, layers[index + 1]?.color];
    const { color } = layers[index];
    if (color !== undefined && !beside.includes(color)) continue;
    layers[index] = { ...layers[index], color: rareColor({ ...project, layers }, beside) };
  }
  return { ...project, layers };
}

const bentIn = ({ pairs }: EventLine): PutReport['bent'] =>
  pairs.slice(1).flatMap((to, k) => {
    const from = pairs[k];
    const scale = (to.take - from.take) / (to.kit - from.kit);
    return scale < SHORTEST || scale > LONGEST ? [{ from, to, scale }] : [];
  });

/** The takes that the layers of a kit play. */
export const takesOfKit = ({ layers, takes }: Pick<Kit, 'layers' | 'takes'>): Kit['takes'] =>
  takes.filter(({ id }) => layers.some(({ layer }) => takeOf(layer)?.take === id));
