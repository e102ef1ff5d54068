import { facesOf } from './members.js';
import { type Side, sideOf, wordsOfJoint } from './names.js';
import { kindsByShape } from './parts/by-shape.js';
import { namedParts } from './parts/chains.js';
import { type Kind, kindOf, limbKindOf } from './parts/words.js';
import { charactersOf, type Rig, sceneName } from './rig.js';
import { topologyOf } from './topology.js';

/** A named group of joints, such as `head` or `leftArm`. */
export type Part = string;

/** For each member of a rig, joints and then face channels, the part that it belongs to. */
export type Parts = readonly Part[];

/** The part of the joints of a face, and of face channels that are said to be in no other. */
const FACE: Part = 'face';

/**
 * The automatic parts in the order in which they are listed, from head to foot. Where a body has several limbs of a kind on
 * a side, they are numbered: `leftLeg1`, `leftLeg2`.
 */
export const PART_ORDER: readonly Part[] = [
  'head',
  'face',
  'leftAntenna',
  'rightAntenna',
  'antenna',
  'neck',
  'torso',
  'hips',
  'leftArm',
  'leftHand',
  'rightArm',
  'rightHand',
  'leftWing',
  'rightWing',
  'wing',
  'leftForeLeg',
  'leftForeFoot',
  'rightForeLeg',
  'rightForeFoot',
  'leftMidLeg',
  'leftMidFoot',
  'rightMidLeg',
  'rightMidFoot',
  'leftLeg',
  'leftFoot',
  'rightLeg',
  'rightFoot',
  'leftHindLeg',
  'leftHindFoot',
  'rightHindLeg',
  'rightHindFoot',
  'leftFin',
  'rightFin',
  'fin',
  'leftTentacle',
  'rightTentacle',
  'tentacle',
  'leftTail',
  'rightTail',
  'tail',
  'other',
];

/** The parts of people and of animals with four legs, and `other`: a stack may weigh them on any rig. */
export const COMMON_PARTS: readonly Part[] = PART_ORDER.filter(
  (part) => !/antenna|wing|mid|fin|tentacle|.tail/i.test(part),
);

/**
 * Finds the parts of a rig: first by the names of its joints, then a joint whose name says nothing takes the
 * part of its parent; a rig none of whose names say anything is divided by its shape. A prop is a part of its own, called
 * by its name; face channels are the part `face`. Those of a further character have its name before them.
 */
export function findParts(scene: Rig): Part[] {
  const characters = charactersOf(scene);
  const { spans } = topologyOf(scene);
  const props = scene.joints.slice(spans[spans.length - 1].to).map(({ name }) => name);
  return [
    ...characters.flatMap(({ name, rig }) => partsOfCharacter(rig).map((part) => sceneName(name, part))),
    ...props,
    ...characters.flatMap(({ name, rig }) => facesOf(rig).map(() => sceneName(name, FACE))),
  ];
}

function partsOfCharacter(rig: Rig): Part[] {
  // A rigid object has no body.
  if (rig.joints.length === 1) return ['other'];
  const words = rig.joints.map(wordsOfJoint);
  const said = words.map(sideOf);
  const kinds = words.map((w, j) => kindOf(w, said[j]));
  const limbs = kinds.filter((kind) => limbKindOf(kind) && kind !== 'Tail').length;
  if (limbs < 2 && kinds.filter(Boolean).length < 3) return namedParts(rig, kindsByShape(rig));
  const fourLegs = kinds.some((kind) => kind.startsWith('Hind')) && !kinds.some((k) => k.startsWith('Mid'));
  const fore = kinds.some((kind) => kind.startsWith('Fore'));
  const found: Kind[] = [];
  const sides: Side[] = [];
  for (const [j, { parent }] of rig.joints.entries()) {
    const above = parent < 0 ? '' : found[parent];
    let kind = kinds[j] || above || 'hips';
    // A tail on a head is hair.
    if (kind === 'Tail' && /^(head|face|neck)$/.test(above)) kind = 'head';
    // A wing has arm, hand and fingers of its own.
    if (above === 'Wing' && /^(Arm|Hand)$/.test(kind)) kind = above;
    if (fourLegs && !fore && /^(Arm|Hand)$/.test(kind)) kind = kind === 'Arm' ? 'ForeLeg' : 'ForeFoot';
    if (fourLegs && /^(Leg|Foot)$/.test(kind)) kind = (above.startsWith('Fore') ? 'Fore' : 'Hind') + kind;
    found.push(kind);
    const inLimb = limbKindOf(kind) !== undefined;
    sides.push(said[j] || (inLimb && parent >= 0 && limbKindOf(above) ? sides[parent] : ''));
  }
  return namedParts(rig, { kinds: found, sides });
}

/** The parts that occur, character by character in {@link PART_ORDER}, numbered ones in turn, then parts of the user's own making. */
export function partNames(parts: Parts): Part[] {
  const named: string[] = [];
  const rank = (part: Part): readonly [number, number, number] => {
    const slash = part.lastIndexOf('/');
    const name = part.slice(0, slash + 1);
    if (!named.includes(name)) named.push(name);
    const [, stem, number] = /^(.*?)(\d*)$/.exec(part.slice(slash + 1))!;
    const at = PART_ORDER.indexOf(stem);
    return [
      named.indexOf(name),
      ...(at < 0 ? ([PART_ORDER.length, 0] as const) : ([at, Number(number)] as const)),
    ];
  };
  return [...new Set(parts)]
    .map((part) => ({ part, rank: rank(part) }))
    .sort((a, b) => a.rank[0] - b.rank[0] || a.rank[1] - b.rank[1] || a.rank[2] - b.rank[2])
    .map(({ part }) => part);
}

/** A part's name as people read it: `leftForeLeg1` becomes `left fore leg 1`; of a further character after that one's. */
export function partLabel(part: Part): string {
  const slash = part.lastIndexOf('/');
  if (slash > 0) return `${part.slice(0, slash)}’s ${partLabel(part.slice(slash + 1))}`;
  return part
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/([a-z])(\d+)$/, '$1 $2')
    .toLowerCase();
}
