import { affine, type Curve, isCurve, type Scalar } from '../../curve/curve.js';
import type { Kit, KitLayer } from '../../kit/kit.js';
import {
  type Channels,
  channelsOf,
  contactsOf,
  holding,
  type JointChannels,
  keyed,
  targetsOf,
} from '../../layer/content.js';
import type { HeldContacts, HeldLimb, StandingPoint } from '../../layer/held-contacts.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import type { Target } from '../../layer/target.js';
import { targetRefusal } from '../../layer/target-refusal.js';
import type { EulerOrder } from '../../math/euler.js';
import { emptyRecord, entryOf } from '../../record.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { faceIndex, memberIndex } from '../../rig/members.js';
import {
  characterOf,
  charactersOf,
  jointIndex,
  type Rig,
  type RigCharacter,
  sceneName,
  type Vector3,
} from '../../rig/rig.js';
import { rolesOf } from '../../rig/roles.js';
import { ownerOf } from '../../rig/topology.js';
import { curvesByMap } from '../keys/curves-by-map.js';
import { type BetweenRigs, betweenRigs, type NumbersMap } from './between-rigs.js';

/** What of a layer of a kit a project has not, by name or role. */
export interface LeftOut {
  readonly layer: string;
  readonly what: 'joint' | 'part' | 'limb' | 'target' | 'take' | 'like';
  readonly name: string;
}

const SAME: NumbersMap = { factor: 1, added: [0, 0, 0] };

/** How names and numbers of layers of one character become those of another in a project. */
interface Onto {
  readonly project: Project;
  readonly between: BetweenRigs;
  /** The name that the project has for a joint, face channel or prop; undefined where it has none. */
  readonly nameOf: (name: string) => string | undefined;
  readonly partOf: (part: string) => string | undefined;
  readonly limbOf: (limb: string) => string;
  /** By the own names of the characters the joint in whose axes numbers of a joint are, and the one in whose they are to be; undefined for props. */
  readonly pairOf: (name: string, other: string) => readonly [own: string, other: string] | undefined;
  /** Whether the joints are those of another skeleton, or may be. */
  readonly otherRig: boolean;
  /** Whether both are in one scene, where what stands in the world or hangs on others stays where it is. */
  readonly oneScene: boolean;
  readonly leave: (what: LeftOut['what'], name: string) => undefined;
}

/**
 * The layers of a kit with the joints, parts and limbs of a project, found by their names or else by their roles, and with
 * numbers in the axes and at the size of its character. `props` are the names that its props have there. What the project has not is left out and
 * told to `leave`.
 */
export function layersOnto(
  kit: Kit,
  project: Project,
  props: ReadonlyMap<string, string>,
  leave: (left: LeftOut) => void,
): KitLayer[] {
  const rig = characterOf(project.rig);
  const from = kit.rig;
  const nameOf = namesOn(kit.joints, rig, props);
  const between = betweenRigs(from ?? rig, rig);
  return kit.layers.map((one) => {
    const layer = layerOnto(one.layer, {
      project,
      between,
      nameOf,
      partOf: (part) => (project.parts.includes(part) ? part : undefined),
      limbOf: (limb) => limb,
      pairOf: (name, other) => (jointIndex(rig, other) < 0 ? undefined : [from ? name : other, other]),
      otherRig: from !== undefined,
      oneScene: false,
      leave: leaving(one.layer, leave),
    });
    const limbs = contactsOf(layer)?.limbs ?? {};
    return { ...one, layer, found: one.found.filter((name) => entryOf(limbs, name)) };
  });
}

/** Tells what is left out of a layer, each thing once. */
function leaving(layer: Layer, leave: (left: LeftOut) => void): Onto['leave'] {
  const told = new Set<string>();
  return (what, name) => {
    if (!told.has(`${what} ${name}`)) leave({ layer: layer.name, what, name });
    told.add(`${what} ${name}`);
    return undefined;
  };
}

/**
 * What a layer does with one character of a project, done with another, by their indices in the scene. What it does with others and with
 * props is not repeated.
 */
export function layerOntoCharacter(
  project: Project,
  layer: Layer,
  [from, to]: readonly [from: number, to: number],
  leave: (left: LeftOut) => void,
): Layer {
  const [a, b] = [from, to].map((k) => charactersOf(project.rig)[k]);
  const isOf = ({ name, rig }: RigCharacter, one: string) =>
    name === '' ? memberIndex(rig, one) >= 0 : one.startsWith(`${name}/`);
  const own = ({ name }: RigCharacter, one: string) => (name === '' ? one : one.slice(name.length + 1));
  const roles = rolesOf(a.rig);
  const joints = Object.fromEntries(a.rig.joints.map(({ name }, j) => [name, roles[j]?.role]));
  const ownNameOf = namesOn(joints, b.rig, new Map());
  // Parts and limbs have the name of a further character before their own; those of the first have none.
  const nameWith = (one: string, known: (name: string) => boolean) => {
    if (a.name !== '' && !isOf(a, one)) return one;
    const other = sceneName(b.name, own(a, one));
    return known(other) ? other : undefined;
  };
  const limbs = compiledLimbs(project.rig, project.limbs);
  const limbIsOf = (limb: string) =>
    ownerOf(project.rig, limbs.find(({ name }) => name === limb)?.chain[0] ?? -1) === from;
  const nameOf = (one: string) => {
    if (!isOf(a, one)) return one;
    const other = ownNameOf(own(a, one));
    return other === undefined ? undefined : sceneName(b.name, other);
  };
  /** The part of the other in which the first joint lies that a part has there too: the fore leg for an arm. */
  const partByJoints = (part: string) => {
    for (const [j, { name }] of project.rig.joints.entries()) {
      if (project.parts[j] !== part || !isOf(a, name)) continue;
      const other = nameOf(name);
      if (other !== undefined) return project.parts[jointIndex(project.rig, other)];
    }
    return undefined;
  };
  return layerOnto(
    onlyOf(layer, (name) => isOf(a, name), limbIsOf),
    {
      project,
      between: betweenRigs(a.rig, b.rig),
      nameOf,
      partOf: (part) => nameWith(part, (name) => project.parts.includes(name)) ?? partByJoints(part),
      limbOf: (limb) => nameWith(limb, (name) => limbs.some((one) => one.name === name)) ?? limb,
      pairOf: (one, other) => (isOf(a, one) && isOf(b, other) ? [own(a, one), own(b, other)] : undefined),
      otherRig: true,
      oneScene: true,
      leave: leaving(layer, leave),
    },
  );
}

/** A layer with what it does with the members and limbs of one character alone. */
function onlyOf(layer: Layer, member: (name: string) => boolean, limb: (name: string) => boolean): Layer {
  const of = <T>(record: Readonly<Record<string, T>>, is: (name: string) => boolean) =>
    Object.fromEntries(Object.entries(record).filter(([name]) => is(name)));
  const contacts = contactsOf(layer);
  if (contacts) return { ...layer, content: holding({ ...contacts, limbs: of(contacts.limbs, limb) }) };
  if (layer.content.kind !== 'curves') return layer;
  const targets = targetsOf(layer).filter(({ joint }) => member(joint));
  return { ...layer, content: keyed(of(channelsOf(layer), member), targets) };
}

/** Names come first, then roles; of two joints that would be one the first has it. */
function namesOn(joints: Kit['joints'], rig: Rig, props: ReadonlyMap<string, string>): Onto['nameOf'] {
  const roles = rolesOf(rig);
  const byRole = new Map(
    roles.flatMap((role, j) => (role ? [[role.role, rig.joints[j].name] as const] : [])),
  );
  const named = new Set(Object.keys(joints).filter((name) => jointIndex(rig, name) >= 0));
  const found = new Map<string, string>(props);
  for (const [name, role] of Object.entries(joints)) {
    const other = role === undefined ? undefined : byRole.get(role);
    if (named.has(name)) found.set(name, name);
    else if (other !== undefined && !named.has(other)) found.set(name, other);
  }
  return (name) =>
    found.get(name) ?? (faceIndex(rig, name) >= 0 || jointIndex(rig, name) >= 0 ? name : undefined);
}

function layerOnto(layer: Layer, onto: Onto): Layer {
  const { mask, joints, allows, placement } = layer;
  const { ratio } = onto.between;
  const lengths = (scalar: Scalar) => times(scalar, ratio);
  return {
    ...layer,
    applied: [],
    ...(mask && { mask: renamed(mask, (part) => onto.partOf(part) ?? onto.leave('part', part)) }),
    ...(joints && { joints: renamed(joints, (name) => onto.nameOf(name) ?? onto.leave('joint', name)) }),
    ...(allows && { allows: renamed(allows, onto.nameOf) }),
    ...(placement &&
      (ratio !== 1 || placement.space !== undefined) && {
        placement: {
          ...placement,
          ...(placement.space !== undefined && {
            space: onto.nameOf(placement.space) ?? onto.leave('joint', placement.space),
          }),
          pivot: [placement.pivot[0] * ratio, placement.pivot[1] * ratio, placement.pivot[2] * ratio],
          tx: lengths(placement.tx),
          ty: lengths(placement.ty),
          tz: lengths(placement.tz),
        },
      }),
    content: contentOnto(layer, onto),
  };
}

function renamed<T>(
  record: Readonly<Record<string, T>>,
  nameOf: (name: string) => string | undefined,
): Record<string, T> {
  const out = emptyRecord<T>();
  for (const [name, value] of Object.entries(record)) {
    const other = nameOf(name);
    if (other !== undefined && !Object.hasOwn(out, other)) out[other] = value;
  }
  return out;
}

const times = (scalar: Scalar, factor: number): Scalar =>
  factor === 1 ? scalar : isCurve(scalar) ? affine(scalar, factor) : scalar * factor;

function contentOnto(layer: Layer, onto: Onto): Layer['content'] {
  const contacts = contactsOf(layer);
  if (contacts) return holding(contactsOnto(contacts, onto));
  if (layer.content.kind !== 'curves') return layer.content;
  const targets = targetsOf(layer).flatMap((target) => targetOnto(target, layer, onto) ?? []);
  return keyed(channelsOnto(layer, onto), targets);
}

function channelsOnto(layer: Layer, onto: Onto): Channels {
  const out = emptyRecord<JointChannels>();
  for (const [name, curves] of Object.entries(channelsOf(layer))) {
    const other = onto.nameOf(name) ?? onto.leave('joint', name);
    if (other === undefined || Object.hasOwn(out, other)) continue;
    out[other] = jointOnto(layer, name, other, curves, onto);
  }
  return out;
}

/** The channels of a joint as another has them. */
function jointOnto(
  layer: Layer,
  name: string,
  other: string,
  curves: JointChannels,
  onto: Onto,
): JointChannels {
  const { between, project } = onto;
  if (faceIndex(project.rig, other) >= 0) return curves;
  const pair = onto.pairOf(name, other);
  const changes = layer.mode === 'additive';
  const lengths: NumbersMap = { factor: between.ratio, added: [0, 0, 0] };
  const move =
    pair === undefined
      ? lengths
      : changes
        ? between.changeMove(...pair, layer.axes)
        : between.poseMove(...pair);
  const turn =
    pair === undefined
      ? undefined
      : changes
        ? between.changeTurn(...pair, layer.axes)
        : between.poseTurn(...pair);
  const rest = pair === undefined || changes ? undefined : between.restOf(pair[0]);
  const { order } = project.rig.joints[jointIndex(project.rig, other)];
  return {
    ...curves,
    ...tripleBy(curves, ['tx', 'ty', 'tz'], move, undefined, rest?.move),
    ...(turn && tripleBy(curves, ['rx', 'ry', 'rz'], turn, order, rest?.turn)),
  };
}

type Axis = 'tx' | 'ty' | 'tz' | 'rx' | 'ry' | 'rz';

/** Three channels by a map; those that are missing count as at rest where it takes them together. */
function tripleBy(
  curves: { readonly [C in Axis]?: Curve },
  names: readonly Axis[],
  map: NumbersMap,
  order: EulerOrder | undefined,
  rest: readonly number[] | undefined,
): { readonly [C in Axis]?: Curve } {
  const own = names.map((name) => curves[name]);
  if (own.every((curve) => curve === undefined)) return {};
  const made =
    typeof map === 'function'
      ? curvesByMap(own, map, order, rest)
      : own.map(
          (curve, axis) =>
            curve &&
            (map.factor === 1 && map.added[axis] === 0 ? curve : affine(curve, map.factor, map.added[axis])),
        );
  return Object.fromEntries(names.flatMap((name, axis) => (made[axis] ? [[name, made[axis]]] : [])));
}

/** Three numbers or curves by a map. */
function scalarsBy<T extends Readonly<Record<string, Scalar>>>(
  values: T,
  map: NumbersMap,
  order: EulerOrder | undefined,
): T {
  const names = Object.keys(values);
  const scalars = names.map((name) => values[name]);
  if (typeof map !== 'function')
    return Object.fromEntries(
      names.map((name, axis) => [
        name,
        map.factor === 1 && map.added[axis] === 0 ? scalars[axis] : times(scalars[axis], map.factor),
      ]),
    ) as T;
  const numbers = scalars.map((scalar) => (isCurve(scalar) ? (scalar.keys[0]?.value ?? 0) : scalar));
  if (!scalars.some(isCurve))
    return Object.fromEntries(map(numbers).map((value, axis) => [names[axis], value])) as T;
  const made = curvesByMap(
    scalars.map((scalar) => (isCurve(scalar) ? scalar : undefined)),
    map,
    order,
    numbers,
  );
  return Object.fromEntries(names.map((name, axis) => [name, made[axis]])) as T;
}

/** A target on the joints of the project; undefined where it has not all of them, or nothing can be moved by it there. */
function targetOnto(target: Target, layer: Layer, onto: Onto): Target | undefined {
  const { between, project, leave } = onto;
  const joint = onto.nameOf(target.joint);
  const space = target.space === undefined ? undefined : onto.nameOf(target.space);
  if (joint === undefined || (target.space !== undefined && space === undefined))
    return leave('target', target.joint);
  const moved: Target = { ...target, joint, ...(space !== undefined && { space }) };
  const limbs = compiledLimbs(project.rig, project.limbs);
  if (targetRefusal(project.rig, limbs, moved, layer.mode)) return leave('target', target.joint);
  const end = onto.pairOf(target.joint, joint);
  const held = space === undefined ? undefined : onto.pairOf(target.space!, space);
  const inJoint = layer.mode === 'additive' && layer.axes === 'joint';
  const place =
    layer.mode === 'additive'
      ? end !== undefined && inJoint
        ? between.placeIn(...end)
        : between.placeIn(undefined, undefined)
      : held
        ? between.placeIn(...held)
        : onto.oneScene
          ? SAME
          : between.placeIn(undefined, undefined);
  const turn =
    end === undefined
      ? undefined
      : layer.mode === 'additive'
        ? between.changeTurn(...end, layer.axes)
        : between.turnIn(held, end);
  const point = ([tx, ty, tz]: Vector3): Vector3 => {
    const moved = scalarsBy({ tx, ty, tz }, place, undefined);
    return [moved.tx as number, moved.ty as number, moved.tz as number];
  };
  return {
    ...moved,
    at: scalarsBy(moved.at, place, undefined),
    ...(moved.turn && { turn: turn ? scalarsBy(moved.turn, turn, 'YXZ') : moved.turn }),
    ...(moved.toward && { toward: scalarsBy(moved.toward, place, undefined) }),
    ...(moved.path && { path: { ...moved.path, points: moved.path.points.map(point) } }),
  };
}

/** Contacts of the limbs that the project has, at its size. Points that it has not are those of its own limb. */
function contactsOnto(contacts: HeldContacts, onto: Onto): HeldContacts {
  const { project, between, nameOf, leave } = onto;
  const limbs = emptyRecord<HeldLimb>();
  const known = compiledLimbs(project.rig, project.limbs);
  for (const [limb, held] of Object.entries(contacts.limbs)) {
    const name = onto.limbOf(limb);
    if (!known.some((one) => one.name === name)) {
      leave('limb', limb);
      continue;
    }
    const points = held.points.flatMap(({ joint, end, floor }): StandingPoint[] => {
      const other = nameOf(joint);
      const j = other === undefined ? -1 : jointIndex(project.rig, other);
      if (other === undefined || j < 0) return [];
      if (end !== undefined && end >= project.rig.joints[j].ends.length) return [];
      return [{ joint: other, ...(end !== undefined && { end }), floor: floor * between.ratio }];
    });
    const all = points.length > 0 && (onto.otherRig || points.length === held.points.length);
    limbs[name] = { ...held, points: all ? points : [] };
  }
  const { space } = contacts;
  return {
    ...contacts,
    ...(space !== undefined && { space: nameOf(space) ?? leave('joint', space) }),
    limbs,
  };
}
