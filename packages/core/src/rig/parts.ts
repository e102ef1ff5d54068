import { facesOf } from './members.js';
import { type Side, sideOf, withoutSide, wordsOf } from './names.js';
import { globalMatrices, restPose } from './pose.js';
import { characterOf, jointChildren, type Rig } from './rig.js';

/** A named group of joints, such as `head` or `leftArm`. */
export type Part = string;

/** For each member of a rig, joints and then face channels, the part that it belongs to. */
export type Parts = readonly Part[];

/** The part of face channels that are said to be in no other. */
const FACE: Part = 'face';

/** The automatic parts in the order in which they are listed, from head to foot. */
export const PART_ORDER: readonly Part[] = [
  'head',
  'face',
  'neck',
  'torso',
  'hips',
  'leftArm',
  'leftHand',
  'rightArm',
  'rightHand',
  'leftForeLeg',
  'leftForeFoot',
  'rightForeLeg',
  'rightForeFoot',
  'leftLeg',
  'leftFoot',
  'rightLeg',
  'rightFoot',
  'leftHindLeg',
  'leftHindFoot',
  'rightHindLeg',
  'rightHindFoot',
  'tail',
  'other',
];

/** Words of joint names by the conventions of H-Anim (ISO/IEC 19774), VRM 1.0 and common captures. */
const WORDS: readonly [kind: string, pattern: RegExp][] = [
  ['tail', /^tail/],
  ['Hand', /^(hand|wrist|finger|fingers|thumb|index|middle|ring|pinky|little|palm|carpal|metacarpal)/],
  ['Foot', /^(foot|ankle|toe|toes|heel|ball|paw|hoof|talo|metatars|tarsal)/],
  ['Arm', /^(arm|forearm|upperarm|lowerarm|uparm|elbow|shoulder|clavicle|collar|humerus|scapula|sternoclav)/],
  ['Leg', /^(leg|upleg|upperleg|lowerleg|thigh|knee|shin|calf|hipjoint|femur|tibia|stifle|hock)/],
  ['head', /^(head|skull|jaw|eye|eyes|ear|ears|face|brow|nose|muzzle|snout|tongue|hat|hair|cheek|mouth)/],
  ['neck', /^neck/],
  ['hips', /^(hips|hip|pelvis|root|humanoid)$/],
  [
    'torso',
    /^(spine|chest|torso|back|lowerback|upperback|abdomen|belly|waist|rib|thorax|upperchest|vt|vl|vc)/,
  ],
];

/** Kind of a joint by its name (`head`, `Arm`, `ForeLeg`, ...), or '' where the name does not tell. */
function kindOf(words: readonly string[], side: Side): string {
  const rest = withoutSide(words).filter((word) => !/^\d+$/.test(word));
  const whole = rest.join('');
  const front = /^(fore|front)(leg|shoulder|elbow|foot|paw|toe|knee|ankle|hoof|shin)/.test(whole);
  const hind = /^(hind|rear|back)(leg|foot|paw|toe|knee|thigh|hock|ankle|hoof|shin)/.test(whole);
  if (front || hind) {
    const end = /foot|paw|toe|hoof|ankle/.test(whole) ? 'Foot' : 'Leg';
    return (front ? 'Fore' : 'Hind') + end;
  }
  for (const candidate of [whole, ...rest]) {
    for (const [kind, pattern] of WORDS) {
      if (!pattern.test(candidate)) continue;
      if (kind === 'hips' && side && candidate === 'hip') return 'Leg';
      return kind;
    }
  }
  return '';
}

const SIDED = new Set(['Arm', 'Hand', 'Leg', 'Foot', 'ForeLeg', 'ForeFoot', 'HindLeg', 'HindFoot']);

/**
 * Finds the parts of a rig: first by the names of its joints, then a joint whose name says nothing takes the
 * part of its parent; a rig none of whose names say anything is divided by its shape. A prop is a part of its own, called
 * by its name; face channels are the part `face`.
 */
export function findParts(scene: Rig): Part[] {
  const rig = characterOf(scene);
  const props = scene.joints.slice(rig.joints.length).map(({ name }) => name);
  return [...partsOfCharacter(rig), ...props, ...facesOf(scene).map(() => FACE)];
}

function partsOfCharacter(rig: Rig): Part[] {
  // A rigid object has no body.
  if (rig.joints.length === 1) return ['other'];
  const words = rig.joints.map((joint) => wordsOf(joint.name));
  const sides = words.map(sideOf);
  const kinds = words.map((w, j) => kindOf(w, sides[j]));
  const named = kinds.filter((kind) => SIDED.has(kind)).length;
  if (named < 2 && kinds.filter(Boolean).length < 3) return partsByShape(rig);
  const fourLegs = kinds.some((kind) => kind.startsWith('Hind'));
  const parts: Part[] = [];
  for (const [j, joint] of rig.joints.entries()) {
    let side = sides[j];
    let kind = kinds[j];
    const parent = joint.parent < 0 ? '' : parts[joint.parent];
    if (fourLegs && (kind === 'Arm' || kind === 'Hand')) kind = kind === 'Arm' ? 'ForeLeg' : 'ForeFoot';
    if (fourLegs && (kind === 'Leg' || kind === 'Foot'))
      kind = parent.includes('Fore') ? `Fore${kind}` : `Hind${kind}`;
    if (SIDED.has(kind) && !side)
      side = parent.startsWith('left') ? 'left' : parent.startsWith('right') ? 'right' : '';
    if (SIDED.has(kind)) parts.push(side ? side + kind : 'other');
    else if (kind) parts.push(kind);
    else parts.push(joint.parent < 0 ? 'hips' : parent);
  }
  return parts;
}

/**
 * Divides a rig whose names say nothing: chains that hang from the root and end low on either side are legs,
 * those that leave the spine sideways are arms, the one that ends highest is neck and head.
 */
function partsByShape(rig: Rig): Part[] {
  const n = rig.joints.length;
  const matrices = globalMatrices(rig, restPose(rig), new Float64Array(16 * n));
  const children = jointChildren(rig);
  const at = (j: number, axis: number) => matrices[16 * j + 12 + axis];
  const tips = tipsBelow(rig, matrices);
  const parts: Part[] = new Array(n).fill('other');
  const fill = (j: number, part: Part) => parts.fill(part, j, tips[j].next);
  const heights = rig.joints.map((_, j) => at(j, 1));
  const height = Math.max(...heights) - Math.min(...heights);
  const limb = (j: number, upper: string, lower: string) => {
    const side = tips[j].across / tips[j].count - at(0, 0) >= 0 ? 'left' : 'right';
    fill(j, side + upper);
    // The foot or hand starts at the last joint of the chain that has another behind it, or at the third.
    let end = j;
    for (let k = 0; children[end].length === 1 && (k < 2 || children[children[end][0]].length > 0); k++) {
      end = children[end][0];
    }
    if (end !== j) fill(end, side + lower);
  };
  const sideways = (j: number, from: number) =>
    Math.max(tips[j].right - at(from, 0), at(from, 0) - tips[j].left) > 0.12 * height;
  parts[0] = 'hips';
  const trunk: number[] = [];
  for (const child of children[0]) {
    const { lowest, highest } = tips[child];
    if (lowest < at(0, 1) - 0.25 * height && highest <= at(0, 1) + 0.1 * height) limb(child, 'Leg', 'Foot');
    else if (highest > at(0, 1)) trunk.push(child);
  }
  while (trunk.length > 0) {
    const j = trunk.pop()!;
    parts[j] = 'torso';
    const next = children[j];
    const ups = next.filter((child) => !(next.length > 1 && sideways(child, j)));
    for (const child of next) if (next.length > 1 && sideways(child, j)) limb(child, 'Arm', 'Hand');
    if (next.length > ups.length) {
      for (const up of ups) {
        fill(up, 'head');
        if (children[up].length > 0) parts[up] = 'neck';
      }
    } else for (const up of ups) trunk.push(up);
  }
  return parts;
}

/** What is known of the joints that end the chains from a joint on, at rest. */
interface Tips {
  count: number;
  /** Sum of their x. */
  across: number;
  left: number;
  right: number;
  lowest: number;
  highest: number;
  /** The joint behind the last of these chains: joints stand depth first. */
  next: number;
}

function tipsBelow(rig: Rig, matrices: Float64Array): Tips[] {
  const tips: Tips[] = [];
  for (let j = rig.joints.length - 1; j >= 0; j--) {
    // What hangs below stands behind it and has been there already.
    const [x, y] = [matrices[16 * j + 12], matrices[16 * j + 13]];
    tips[j] ??= { count: 1, across: x, left: x, right: x, lowest: y, highest: y, next: j + 1 };
    const { parent } = rig.joints[j];
    if (parent < 0) continue;
    const own = tips[j];
    const above = tips[parent];
    tips[parent] = above
      ? {
          count: above.count + own.count,
          across: above.across + own.across,
          left: Math.min(above.left, own.left),
          right: Math.max(above.right, own.right),
          lowest: Math.min(above.lowest, own.lowest),
          highest: Math.max(above.highest, own.highest),
          next: Math.max(above.next, own.next),
        }
      : { ...own };
  }
  return tips;
}

/** The parts that occur, in {@link PART_ORDER}, then parts of the user's own making. */
export function partNames(parts: Parts): Part[] {
  const present = new Set(parts);
  return [
    ...PART_ORDER.filter((part) => present.has(part)),
    ...[...present].filter((p) => !PART_ORDER.includes(p)),
  ];
}

/** A part's name as people read it: `leftForeLeg` becomes `left fore leg`. */
export function partLabel(part: Part): string {
  return part.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();
}
