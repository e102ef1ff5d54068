import { entryOf } from '../record.js';
import { facing } from './facing.js';
import { findParts, type Parts, partNames } from './parts.js';
import { positionsAtRest } from './rest.js';
import { characterOf, charactersOf, isWithin, jointIndex, type Rig, sceneName, type Vector3 } from './rig.js';
import { type Role, rolesOf } from './roles.js';
import { ownerOf } from './topology.js';

/**
 * A chain of joints that reaches as one: a thigh, a shin, a foot. Each hangs below the one before; joints between them
 * that are not listed move with the one above.
 */
export interface Limb {
  readonly name: string;
  /** Names of the joints, from the top to the end: three at least. */
  readonly chain: readonly string[];
  /** In the space of the rest pose, where the first inner joint (knee, elbow) goes when the limb bends. */
  readonly bend: Vector3;
  /** It hangs between its top and its end as a rope or chain does, in place of bending. */
  readonly hangs?: true;
}

/** A limb but for its name. */
export type LimbShape = Omit<Limb, 'name'>;

/** What somebody has said of limbs, by name: what they are, or that there is none. What is not said is found. */
export type LimbCorrections = Readonly<Record<string, LimbShape | null>>;

/** The limbs of a rig as they count: those that are found, and what was said of them. */
export function limbsOf(rig: Rig, corrections: LimbCorrections): Limb[] {
  const found = foundLimbs(rig).filter(({ name }) => entryOf(corrections, name) === undefined);
  const said = Object.entries(corrections).flatMap(([name, limb]) => (limb ? [{ name, ...limb }] : []));
  return [...found, ...said];
}

const foundOf = new WeakMap<Rig, readonly Limb[]>();

/** The limbs that are found of all characters of a scene, once for each; those of further ones have their name before them. */
function foundLimbs(scene: Rig): readonly Limb[] {
  return charactersOf(scene).flatMap(({ name: character, rig }) => {
    let limbs = foundOf.get(rig);
    if (!limbs) {
      limbs = findLimbs(rig);
      foundOf.set(rig, limbs);
    }
    if (character === '') return limbs;
    return limbs.map(({ name, chain, bend }) => ({
      name: sceneName(character, name),
      chain: chain.map((joint) => sceneName(character, joint)),
      bend,
    }));
  });
}

/** Limbs by the roles of their joints, from the top to the end; those in brackets may be missing at the end. */
const ARMS = ['UpperArm', 'LowerArm', 'Hand'];
const LEGS = ['UpperLeg', 'LowerLeg', 'Foot'];
const CHAINS = [
  { name: 'trunk', roles: /^(hips|spine\d*|neck\d*|head)$/ },
  { name: 'tail', roles: /^tail\d*$/ },
];

/** A joint is bent where it stands so far off the line of its neighbours, as a part of their distance. */
const BENT = 0.02;

/** Finds the limbs of the first character of a rig: arms and legs, of four legs all four, the trunk from hips to head, and the tail. */
export function findLimbs(scene: Rig): Limb[] {
  const rig = characterOf(scene);
  const roles = rolesOf(rig);
  const jointOf = new Map(roles.flatMap((role, j) => (role ? [[role.role, j] as const] : [])));
  const parts = findParts(rig);
  const fourLegs = parts.some((part) => /^(left|right)Hind/.test(part));
  const positions = positionsAtRest(rig);
  const ahead = facing(rig, positions);
  const limbs: Limb[] = [];
  const add = (name: string, joints: readonly number[], usual: readonly number[]) => {
    const chain = hanging(rig, joints);
    if (chain.length < 3 || hasGap(positions, chain)) return;
    const bend = bendOf(positions, chain, usual);
    if (bend) limbs.push({ name, chain: chain.map((j) => rig.joints[j].name), bend });
  };
  const named = (side: string, names: readonly string[]) =>
    names.flatMap((name) => jointOf.get(side + name) ?? []);
  const back = ahead.map((value) => -value);
  for (const side of ['left', 'right']) {
    // On four legs the toes stand, and what is called hand or foot bends.
    const foreLegs = fourLegs && !parts.includes(`${side}Arm`);
    const toes = foreLegs ? toesBelow(rig, jointOf.get(`${side}Hand`)) : [];
    add(side + (foreLegs ? 'ForeLeg' : 'Arm'), [...named(side, ARMS), ...toes], back);
    add(side + (fourLegs ? 'HindLeg' : 'Leg'), named(side, fourLegs ? [...LEGS, 'Toes'] : LEGS), ahead);
  }
  for (const { name, roles: wanted } of CHAINS)
    add(
      name,
      roles.flatMap((role, j) => (role && wanted.test(role.role) ? [j] : [])),
      name === 'trunk' ? back : [0, 1, 0],
    );
  for (const { name, joints } of limbsByPart(rig, parts, roles)) {
    if (limbs.some((limb) => limb.name === name)) continue;
    const usual = /(Wing|Fin|ForeLeg|Arm)$/.test(name) ? back : /Leg$/.test(name) ? ahead : [0, 1, 0];
    add(name, joints, usual);
  }
  return limbs;
}

/** Limbs that the roles of a person or a dog do not tell, by their parts: wings, fins, one leg of eight, one tail of two. */
const BY_PART = /(?:wing|fin|antenna|tentacle|tail|(?:left|right)(?:arm|(?:fore|mid|hind)?leg))\d*$/i;

/** Joints of each such part, from its first on along the chain that is longest, to its foot or hand where it has one. */
function limbsByPart(
  rig: Rig,
  parts: Parts,
  roles: readonly (Role | undefined)[],
): { name: string; joints: number[] }[] {
  return partNames(parts).flatMap((name) => {
    if (!BY_PART.test(name)) return [];
    const end = name.replace('Leg', 'Foot').replace('Arm', 'Hand');
    const isIn = (j: number) => parts[j] === name || parts[j] === end;
    const top = parts.findIndex((part, j) => part === name && !/Shoulder$/.test(roles[j]?.role ?? ''));
    if (top < 0) return [];
    const longest = longestBelow(rig, isIn);
    const joints: number[] = [];
    for (let j: number | undefined = top; j !== undefined; j = parts[j] === name ? longest[j] : undefined)
      joints.push(j);
    return [{ name, joints }];
  });
}

/** For each joint the child, of those that count, from which the longest chain of such hangs. */
function longestBelow(rig: Rig, counts: (joint: number) => boolean): (number | undefined)[] {
  const child: (number | undefined)[] = rig.joints.map(() => undefined);
  const length = new Float64Array(rig.joints.length).fill(1);
  // Children stand behind their parents.
  for (let j = rig.joints.length - 1; j > 0; j--) {
    const { parent } = rig.joints[j];
    if (parent < 0 || !counts(j) || length[j] + 1 <= length[parent]) continue;
    length[parent] = length[j] + 1;
    child[parent] = j;
  }
  return child;
}

/** Where a chain of joints would bend first, as it stands at rest; ahead where it is straight. */
export function bendAtRest(rig: Rig, chain: readonly string[]): Vector3 | undefined {
  const positions = positionsAtRest(rig);
  const joints = chain.map((name) => jointIndex(rig, name));
  const character = characterOf(rig, Math.max(0, ownerOf(rig, joints[0])));
  return bendOf(positions, joints, facing(character, positionsAtRest(character)));
}

/** What keeps a limb from bending, in words for people: a bone without length, or a bend that lies along its bone. */
export function limbRefusal(rig: Rig, { chain, bend, hangs }: LimbShape): string | undefined {
  const positions = positionsAtRest(rig);
  const joints = chain.map((name) => jointIndex(rig, name));
  const bones = joints.slice(1).map((j, k) => between(positions, joints[k], j));
  if (bones.some((bone) => Math.hypot(...bone) < 1e-12))
    return 'a bone without length, expected one that has some';
  if (hangs) return undefined;
  for (const bone of bones.slice(0, -1)) {
    const along = dot(bend, bone) / (Math.hypot(...bend) * Math.hypot(...bone));
    if (1 - along * along < 1e-18) return 'the bend lies along the bone, expected a direction across it';
  }
  return undefined;
}

/** The joint that ends the chain below a paw. */
function toesBelow(rig: Rig, paw: number | undefined): number[] {
  const child = rig.joints.findIndex(({ parent }) => parent === paw);
  return paw === undefined || child < 0 ? [] : [child];
}

/** Of joints those that hang below each other, from the first on. */
function hanging(rig: Rig, joints: readonly number[]): number[] {
  const chain: number[] = [];
  for (const j of joints) if (chain.length === 0 || isWithin(rig, j, chain[chain.length - 1])) chain.push(j);
  return chain;
}

const between = (positions: Float64Array, a: number, b: number): number[] =>
  [0, 1, 2].map((axis) => positions[3 * b + axis] - positions[3 * a + axis]);

const dot = (a: readonly number[], b: readonly number[]): number =>
  a.reduce((sum, value, i) => sum + value * b[i], 0);

const hasGap = (positions: Float64Array, chain: readonly number[]): boolean =>
  chain.slice(1).some((j, k) => Math.hypot(...between(positions, chain[k], j)) < 1e-9);

/**
 * Where the first inner joint goes when a chain bends: where it stands off the line from its top to the next joint, or,
 * where that is straight, the usual way, or up or ahead. Across the first bone, of length 1; undefined where that says nothing.
 */
function bendOf(
  positions: Float64Array,
  chain: readonly number[],
  usual: readonly number[],
): Vector3 | undefined {
  const bone = between(positions, chain[0], chain[1]);
  const line = between(positions, chain[0], chain[2]);
  const along = dot(bone, line) / dot(line, line);
  const off = bone.map((value, axis) => value - along * line[axis]);
  const ways = [
    ...(Math.hypot(...off) > BENT * Math.hypot(...line) ? [off] : []),
    usual,
    [0, 1, 0],
    [0, 0, 1],
  ];
  for (const way of ways) {
    // What lies along the bone does not bend it.
    const rest = dot(way, bone) / dot(bone, bone);
    const across = way.map((value, axis) => value - rest * bone[axis]);
    const length = Math.hypot(...across);
    if (length > 1e-6) return across.map((value) => value / length) as unknown as Vector3;
  }
  return undefined;
}
