import { type Side, sideOf, withoutSide, wordsOf, wordsOfJoint } from './names.js';
import { findParts } from './parts.js';
import { characterOf, isWithin, jointChildren, type Rig } from './rig.js';

/** What tells which joint is meant: its name, where it hangs, or only the shape of the skeleton. */
export type Ground = 'name' | 'position' | 'shape';

/** What a joint is to the body, such as `hips`, `leftUpperArm` or `rightIndex2`. */
export interface Role {
  readonly role: string;
  readonly by: Ground;
}

/** Joints that only help others to bend or that end a chain: they have no role of their own. */
const HELPERS = /twist|roll|helper|nub|pole|target|socket|attach|site|hipjoint|(^|[^a-z])(ik|fk|end)$/;

/**
 * Words by the conventions of H-Anim (ISO/IEC 19774), VRM 1.0 and common captures, digits and sides taken off.
 * Fingers and tails are chains; their joints are counted.
 */
const LIMBS: readonly [role: string, pattern: RegExp][] = [
  ['Shoulder', /^(shoulder|clavicle|collar|collarbone|scapula|sternoclavicular|acromioclavicular)$/],
  ['UpperArm', /^(upperarm|uparm|arm|humerus|bicep)$/],
  ['LowerArm', /^(forearm|lowerarm|lowarm|elbow|radius|ulna)$/],
  ['Hand', /^(hand|wrist|radiocarpal|palm)$/],
  ['UpperLeg', /^(upleg|upperleg|thigh|femur|hip)$/],
  ['LowerLeg', /^(lowerleg|lowleg|shin|calf|knee|tibia)$/],
  ['Leg', /^leg$/],
  ['Foot', /^(foot|ankle|talocrural|tarsus)$/],
  ['Toes', /^(toe|toes|toebase|ball|metatarsophalangeal|tarsometatarsal)$/],
  ['ForeLeg', /^(fore|front)(shoulder|leg|upperleg|lowerleg|shin|thigh|knee|elbow)$/],
  ['ForeFoot', /^(fore|front)(foot|paw|toe|toes|ankle|wrist|hoof)$/],
  ['HindLeg', /^(hind|rear|back)(leg|upperleg|lowerleg|shin|thigh|knee|stifle|hock)$/],
  ['HindFoot', /^(hind|rear|back)(foot|paw|toe|toes|ankle|hoof)$/],
  ['Thumb', /^(hand)?thumb/],
  ['Index', /^(hand)?index/],
  ['Middle', /^(hand)?middle/],
  ['Ring', /^(hand)?ring/],
  ['Little', /^(hand)?(little|pinky)/],
  ['Ear', /^ear/],
  ['Eye', /^(eye|eyes|eyeball)$/],
];

const MIDDLE: readonly [role: string, pattern: RegExp][] = [
  ['hips', /^(hips|hip|pelvis|sacroiliac|humanoidroot)$/],
  [
    'spine',
    /^(spine|chest|upperchest|torso|lowerback|upperback|back|abdomen|waist|thorax|belly|ribs|ribcage|vl|vt)$/,
  ],
  ['neck', /^(neck|vc)$/],
  ['head', /^(head|skull|skullbase)$/],
  ['jaw', /^(jaw|temporomandibular)$/],
  ['tail', /^tail/],
];

/** Of a limb in the order in which its joints hang below each other. */
const LEG = ['UpperLeg', 'LowerLeg', 'Foot', 'Toes'];
const ARM = ['Shoulder', 'UpperArm', 'LowerArm', 'Hand'];

/** Roles that several joints in a row have; they are counted from the one nearest to the body. */
const CHAINS = /^(spine|neck|tail|(left|right)(Thumb|Index|Middle|Ring|Little|Ear))$/;

/** The role of each joint, undefined where it has none that is known. Props have none. */
export function rolesOf(scene: Rig): (Role | undefined)[] {
  const rig = characterOf(scene);
  let known = rolesKnown.get(rig);
  if (!known) {
    known = rolesOfCharacter(rig);
    rolesKnown.set(rig, known);
  }
  return Array.from(scene.joints, (_, j) => known[j]);
}

/** The roles of rigs that were looked at: names are taken apart once. */
const rolesKnown = new WeakMap<Rig, readonly (Role | undefined)[]>();

function rolesOfCharacter(rig: Rig): (Role | undefined)[] {
  const bare = withoutPrefix(rig.joints.map(({ name }) => wordsOf(name)));
  const words = rig.joints.map((joint, j) => (joint.bone ? wordsOfJoint(joint) : bare[j]));
  const stem = words.map((list) =>
    withoutSide(list)
      .filter((word) => !/^\d+$/.test(word))
      .join(''),
  );
  const sides = words.map(sideOf);
  const found = stem.map((name, j) => byName(name, sides[j]));
  notTwice(rig, found);
  if (found.filter(Boolean).length < 3) return byShape(rig);
  legsAndArms(rig, found);
  fourLegs(rig, found);
  betweenEnds(rig, found);
  hipsAboveAll(rig, found);
  ofOnePair(rig, found);
  onlyOne(rig, found);
  return found.map((role) => role && { ...role });
}

/** Takes off the words with which nearly all names of a skeleton begin. */
function withoutPrefix(names: readonly string[][]): string[][] {
  const counts = new Map<string, number>();
  for (const [first] of names) counts.set(first, (counts.get(first) ?? 0) + 1);
  const [word, count] = [...counts].reduce((best, one) => (one[1] > best[1] ? one : best), ['', 0]);
  const common = count > 0.8 * names.length && names.length > 2 && sideOf([word]) === '';
  return common
    ? withoutPrefix(names.map((list) => (list[0] === word ? list.slice(1) : list)))
    : names.map((list) => [...list]);
}

function byName(bare: string, side: Side): Role | undefined {
  if (bare === '' || HELPERS.test(bare)) return undefined;
  const role = side
    ? LIMBS.find(([, pattern]) => pattern.test(bare))?.[0]
    : MIDDLE.find(([, pattern]) => pattern.test(bare))?.[0];
  return role ? { role: side + role, by: 'name' } : undefined;
}

/** What a file says of a joint goes before what names say of others. */
function notTwice(rig: Rig, found: (Role | undefined)[]): void {
  const said = new Set(rig.joints.flatMap(({ bone }, j) => (bone ? (found[j]?.role ?? []) : [])));
  for (const [j, { bone }] of rig.joints.entries())
    if (!bone && said.has(found[j]?.role ?? '')) found[j] = undefined;
}

/** Joints of a role, nearest to the root first. */
const having = (found: readonly (Role | undefined)[], role: string): number[] =>
  found.flatMap((one, j) => (one?.role === role ? [j] : []));

/** Settles words that mean one joint in one skeleton and its neighbour in another. */
function legsAndArms(rig: Rig, found: (Role | undefined)[]): void {
  for (const side of ['left', 'right']) {
    const upper = having(found, `${side}UpperLeg`).length > 0;
    for (const j of having(found, `${side}Leg`))
      found[j] = { role: side + (upper ? 'LowerLeg' : 'UpperLeg'), by: 'name' };
    // A shoulder from which the forearm hangs is the upper arm.
    const shoulders = having(found, `${side}Shoulder`);
    if (shoulders.length > 0 && having(found, `${side}UpperArm`).length === 0) {
      const last = shoulders[shoulders.length - 1];
      if (having(found, `${side}LowerArm`).some((j) => isWithin(rig, j, last)))
        found[last] = { role: `${side}UpperArm`, by: 'name' };
    }
  }
}

/** Fore legs are arms and hind legs are legs, joint by joint from the body outward. */
function fourLegs(rig: Rig, found: (Role | undefined)[]): void {
  for (const side of ['left', 'right']) {
    for (const [which, names] of [
      ['Fore', ARM],
      ['Hind', LEG],
    ] as const) {
      const limb = [...having(found, `${side}${which}Leg`), ...having(found, `${side}${which}Foot`)].sort(
        (a, b) => a - b,
      );
      const chain = limb.filter((j, k) => k === 0 || isWithin(rig, j, limb[k - 1]));
      const from = which === 'Fore' && chain.length < names.length ? names.length - chain.length : 0;
      for (const j of limb) found[j] = undefined;
      // Arms besides fore legs are the arms.
      if (which === 'Fore' && having(found, `${side}UpperArm`).length > 0) continue;
      for (const [k, j] of chain.slice(0, names.length).entries())
        found[j] = { role: side + names[from + k], by: 'name' };
    }
  }
}

/** A joint between two of a limb that has no name we know is the one that is missing there. */
function betweenEnds(rig: Rig, found: (Role | undefined)[]): void {
  for (const side of ['left', 'right']) {
    for (const limb of [LEG, ARM]) {
      for (let k = 1; k + 1 < limb.length; k++) {
        if (having(found, side + limb[k]).length > 0) continue;
        const [above] = having(found, side + limb[k - 1]);
        const [below] = having(found, side + limb[k + 1]);
        if (above === undefined || below === undefined) continue;
        const between: number[] = [];
        for (let j = rig.joints[below].parent; j > above; j = rig.joints[j].parent)
          if (!found[j]) between.push(j);
        if (between.length > 0) found[between[0]] = { role: side + limb[k], by: 'position' };
      }
    }
  }
}

/**
 * Hips carry both legs and all that is above. Where the joint that is called so carries one of the two, as in a skeleton with a
 * pelvis for each under its root, it is the lowest joint that carries both.
 */
function hipsAboveAll(rig: Rig, found: (Role | undefined)[]): void {
  const legs = ['left', 'right'].flatMap((side) => having(found, `${side}UpperLeg`).slice(0, 1));
  const above = ['neck', 'head', 'leftUpperArm', 'rightUpperArm'].flatMap((role) =>
    having(found, role).slice(0, 1),
  );
  if (legs.length < 2 || above.length === 0) return;
  const carried = [...legs, ...above];
  const carriesAll = (j: number) => carried.every((one) => one !== j && isWithin(rig, one, j));
  const named = having(found, 'hips');
  if (named.some(carriesAll)) return;
  let lowest = legs[0];
  while (lowest >= 0 && !carriesAll(lowest)) lowest = rig.joints[lowest].parent;
  if (lowest < 0 || found[lowest]) return;
  for (const j of named) found[j] = undefined;
  found[lowest] = { role: 'hips', by: 'position' };
}

/** The legs of a spider are no person's: limbs that are numbered have no roles. */
function ofOnePair(rig: Rig, found: (Role | undefined)[]): void {
  for (const [j, part] of findParts(rig).entries())
    if (/(Arm|Hand|Leg|Foot)\d+$/.test(part)) found[j] = undefined;
}

/** Leaves each role to one joint, the nearest to the root; those of a chain are counted. */
function onlyOne(rig: Rig, found: (Role | undefined)[]): void {
  const counts = new Map<string, number>();
  const depth = rig.joints.map(() => 0);
  for (const [j, { parent }] of rig.joints.entries()) {
    depth[j] = parent < 0 ? 0 : depth[parent] + 1;
    const role = found[j]?.role;
    if (!role) continue;
    const count = (counts.get(role) ?? 0) + 1;
    counts.set(role, count);
    if (CHAINS.test(role)) found[j] = { ...found[j]!, role: `${role}${count}` };
    else if (count > 1) found[j] = undefined;
  }
}

/** Roles of a skeleton whose names say nothing: the parts that its shape has, and along each limb joint by joint. */
function byShape(rig: Rig): (Role | undefined)[] {
  const parts = findParts(rig);
  const children = jointChildren(rig);
  const found: (Role | undefined)[] = rig.joints.map(() => undefined);
  const give = (j: number, role: string) => {
    found[j] = { role, by: 'shape' };
  };
  const counts = new Map<string, number>();
  for (const [j, part] of parts.entries()) {
    const count = (counts.get(part) ?? 0) + 1;
    counts.set(part, count);
    if (part === 'torso' || part === 'neck') give(j, `${part === 'torso' ? 'spine' : part}${count}`);
    else if ((part === 'hips' || part === 'head') && count === 1) give(j, part);
    else if (/(Arm|Leg)$/.test(part) && count === 1) {
      const side = part.startsWith('left') ? 'left' : 'right';
      const chain = [j];
      for (let next = children[j]; next.length === 1; next = children[next[0]]) chain.push(next[0]);
      // Of three joints the outermost is the hand, so that there is no shoulder.
      const legs = /Leg$/.test(part) && !/Fore/.test(part);
      const names = legs ? LEG : chain.length > 3 ? ARM : ARM.slice(1);
      for (const [k, name] of names.entries()) if (k < chain.length) give(chain[k], side + name);
    }
  }
  return found;
}
