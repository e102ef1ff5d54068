import { multiply, multiplyByInverse, multiplyInverse, normalize, rotate } from '../math/quaternion.js';
import { type Pose, restPose } from '../rig/pose.js';
import { characterOf, isWithin, type Rig } from '../rig/rig.js';
import { rolesOf } from '../rig/roles.js';
import { rootOf } from '../rig/topology.js';
import type { Samples } from '../take/take.js';
import type { Shaping } from './to-file.js';

/** How the root moves in what is baked. */
export interface RootMotion {
  /** Whether it stays above the place on the floor at which it began; it keeps its height. */
  readonly onTheSpot?: boolean;
  /**
   * Who travels, of a rig with a root bone above its hips: the root bone, which lies on the floor below the hips, or the hips,
   * below a root bone that stays as at rest. As the motion has it where missing. All that hangs on the root stays where it is.
   */
  readonly travels?: 'root' | 'hips';
}

/** The joint that the root bone of a rig goes along with: its hips, or the one joint that it carries; -1 where there is none. */
function carriedByRoot(rig: Rig): number {
  const { joints } = characterOf(rig);
  const root = rootOf(rig);
  const roles = rolesOf(characterOf(rig));
  const hips = roles.findIndex((role) => role?.role === 'hips');
  if (hips >= 0 && hips !== root && isWithin(rig, hips, root)) return hips;
  // Where names say nothing a root that carries one joint is taken for a root bone.
  const told = hips >= 0 && roles[hips]!.by !== 'shape';
  const children = joints.flatMap(({ parent }, j) => (parent === root ? [j] : []));
  return !told && children.length === 1 ? children[0] : -1;
}

/** Why a rig has no root bone that could travel or not; undefined where it has one. */
export function rootBoneRefusal(rig: Rig): string | undefined {
  if (carriedByRoot(rig) >= 0) return undefined;
  const root = characterOf(rig).joints[rootOf(rig)];
  return `${root.name} is the root and carries the body itself: this is for a root bone above the hips`;
}

/**
 * Changes how the root moves in samples of every joint, which come part after part. A root bone that travels lies where it
 * does at rest, seen from the hips, and has their heading: the twist about Y of what they have turned from rest (Dobrowolski,
 * Swing-twist decomposition in Clifford algebra, 2015). Nothing but the root is elsewhere then. Props stay as they are.
 */
export function shapeRoot(rig: Rig, { onTheSpot, travels }: RootMotion): Shaping {
  const bone = travels !== undefined && carriedByRoot(rig) >= 0;
  const steps: ((part: Samples) => void)[] = [];
  // Hips are brought on the spot with the root bone, which then stays where it is at rest.
  if (bone && (travels === 'root' || onTheSpot)) steps.push(floorShaping(rig));
  if (onTheSpot) steps.push(spotShaping(rootOf(rig)));
  if (bone && travels === 'hips') steps.push(stillShaping(rig));
  return (part) => {
    if (steps.length === 0) return part;
    const { translations, rotations } = part;
    const own: Samples = {
      ...part,
      translations: { ...translations, values: translations.values.slice() },
      rotations: { ...rotations, values: rotations.values.slice() },
    };
    for (const step of steps) step(own);
    return own;
  };
}

function spotShaping(root: number): (part: Samples) => void {
  let began: readonly [number, number] | undefined;
  return ({ count, translations: { values, joints } }) => {
    began ??= [values[3 * root], values[3 * root + 2]];
    for (let s = 0; s < count; s++) {
      const at = 3 * (s * joints.length + root);
      values[at] = began[0];
      values[at + 2] = began[1];
    }
  };
}

function stillShaping(rig: Rig): (part: Samples) => void {
  const top = rootOf(rig);
  const rest = restPose(rig);
  const place = rest.translations.slice(3 * top, 3 * top + 3);
  const turn = rest.rotations.slice(4 * top, 4 * top + 4);
  const move = rootMover(rig);
  return (part) => {
    for (let s = 0; s < part.count; s++) move(part, s, place, turn);
  };
}

function floorShaping(rig: Rig): (part: Samples) => void {
  const top = rootOf(rig);
  const hips = carriedByRoot(rig);
  const chain: number[] = [];
  for (let j = hips; j !== top; j = rig.joints[j].parent) chain.unshift(j);
  const rest = restPose(rig);
  // Where the hips lie at rest, seen from the root, and how they are turned there.
  const arm = new Float64Array(3);
  const restTurn = new Float64Array(4);
  hang(rest, 0, top, chain, arm, restTurn);
  for (let c = 0; c < 3; c++) arm[c] -= rest.translations[3 * top + c];
  const n = rig.joints.length;
  const place = new Float64Array(3);
  const turn = new Float64Array(4);
  const heading = new Float64Array(4);
  const foot = new Float64Array(3);
  const move = rootMover(rig);
  return (part) => {
    const pose = {
      translations: part.translations.values,
      rotations: part.rotations.values,
      scales: part.scales.values,
    };
    for (let s = 0; s < part.count; s++) {
      hang(pose, s * n, top, chain, place, turn);
      multiplyByInverse(heading, 0, turn, 0, restTurn, 0);
      heading[0] = 0;
      heading[2] = 0;
      normalize(heading, 0);
      rotate(foot, 0, heading, 0, arm, 0);
      for (let c = 0; c < 3; c++) place[c] = c === 1 ? 0 : place[c] - foot[c];
      multiply(heading, 0, heading, 0, rest.rotations, 4 * top);
      move(part, s, place, heading);
    }
  };
}

/** Where a joint that hangs on the root by a chain is in the scene, and how it is turned; joint 0 is row `first`. */
function hang(
  { translations: t, rotations: r, scales }: Pick<Pose, 'translations' | 'rotations' | 'scales'>,
  first: number,
  top: number,
  chain: readonly number[],
  place: Float64Array,
  turn: Float64Array,
): void {
  const scale = [1, 1, 1];
  const way = new Float64Array(3);
  const take = (j: number) => {
    for (let c = 0; c < 3; c++) scale[c] *= scales[3 * (first + j) + c];
  };
  place.set(t.subarray(3 * (first + top), 3 * (first + top) + 3));
  turn.set(r.subarray(4 * (first + top), 4 * (first + top) + 4));
  take(top);
  for (const j of chain) {
    const row = first + j;
    for (let c = 0; c < 3; c++) way[c] = scale[c] * t[3 * row + c];
    rotate(way, 0, turn, 0, way, 0);
    for (let c = 0; c < 3; c++) place[c] += way[c];
    multiply(turn, 0, turn, 0, r, 4 * row);
    take(j);
  }
}

/** Puts the root of a sample elsewhere and turns it, and lets all that hangs on it stay where it is. */
function rootMover(rig: Rig): (part: Samples, s: number, place: Float64Array, turn: Float64Array) => void {
  const top = rootOf(rig);
  const n = rig.joints.length;
  const children = rig.joints.flatMap(({ parent }, j) => (parent === top ? [j] : []));
  const way = new Float64Array(3);
  const own = new Float64Array(4);
  const back = new Float64Array(4);
  const none = Float64Array.of(0, 0, 0, 1);
  return ({ translations: { values: t }, rotations: { values: r }, scales }, s, place, turn) => {
    const root = s * n + top;
    const scale = scales.values.subarray(3 * root, 3 * root + 3);
    multiplyInverse(back, 0, turn, 0, none, 0);
    for (const j of children) {
      const row = s * n + j;
      for (let c = 0; c < 3; c++) way[c] = scale[c] * t[3 * row + c];
      rotate(way, 0, r, 4 * root, way, 0);
      for (let c = 0; c < 3; c++) way[c] += t[3 * root + c] - place[c];
      rotate(way, 0, back, 0, way, 0);
      for (let c = 0; c < 3; c++) t[3 * row + c] = way[c] / scale[c];
      multiply(own, 0, r, 4 * root, r, 4 * row);
      multiply(r, 4 * row, back, 0, own, 0);
    }
    t.set(place, 3 * root);
    r.set(turn, 4 * root);
  };
}
