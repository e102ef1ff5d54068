import { multiply, multiplyByInverse, multiplyInverse, rotate } from '../math/quaternion.js';
import { facing } from './facing.js';
import { facesOf, isFace } from './members.js';
import { sideOf, withoutSide, wordsOf, wordsOfJoint } from './names.js';
import { globalOrientations, restPose } from './pose.js';
import { positionsAtRest, withoutFrames } from './rest.js';
import { charactersOf, type Rig } from './rig.js';
import { topologyOf } from './topology.js';

/** The planes of symmetry of a rig's characters at rest, and what lies on their other sides. */
export interface Mirror {
  /** For each joint what lies across the plane of its character, of length 1, in that one's own space. */
  readonly normals: readonly (readonly number[])[];
  /** For each joint the one on the other side, itself for one in the middle, or -1. */
  readonly partners: Int32Array;
  /** The same for face channels, by the words of their names; one whose name says no side is its own partner. */
  readonly faces: Int32Array;
  /** Global orientations of all joints at rest in the space of their character, 4 numbers a joint. */
  readonly rest: Float64Array;
}

/** Where a joint is to be, in its parent's axes, and how large; or the number of a face channel. */
export interface LocalTransform {
  readonly rotation?: readonly number[];
  readonly translation?: readonly number[];
  readonly scale?: readonly number[];
  readonly m?: number;
}

/** For each member of a rig, joint or face channel, the one on the other side, itself for one in the middle, or -1. */
export function partnerOf(rig: Rig, member: number): number {
  const { partners, faces } = mirrorOf(rig);
  if (!isFace(rig, member)) return partners[member];
  const face = faces[member - rig.joints.length];
  return face < 0 ? -1 : rig.joints.length + face;
}

/** A joint lies in the plane, or opposite another one, where it is off by less than this part of the rig's size. */
const NEAR = 0.02;

const found = new WeakMap<Rig, Mirror>();

/** The symmetry of a rig: joints are paired by the words of their names, and those without a side by where they lie. */
export function mirrorOf(rig: Rig): Mirror {
  let mirror = found.get(rig);
  if (!mirror) {
    mirror = findMirror(rig);
    found.set(rig, mirror);
  }
  return mirror;
}

/** The symmetry of a scene is that of each of its characters; props have no other side. */
function findMirror(scene: Rig): Mirror {
  const { spans } = topologyOf(scene);
  const found = charactersOf(scene).map(({ rig }) => findMirrorOfCharacter(rig));
  const partners = new Int32Array(scene.joints.length).fill(-1);
  const normals = scene.joints.map(() => found[0].normal);
  for (const [k, { from, to }] of spans.entries()) {
    partners.set(
      found[k].partners.map((other) => (other < 0 ? -1 : other + from)),
      from,
    );
    normals.fill(found[k].normal, from, to);
  }
  const bare = withoutFrames(scene);
  const rest = globalOrientations(bare, restPose(bare), new Float64Array(4 * bare.joints.length));
  return { partners, normals, faces: facePartners(scene), rest };
}

function facePartners(rig: Rig): Int32Array {
  const words = facesOf(rig).map(({ name }) => wordsOf(name));
  const sides = words.map(sideOf);
  const bare = words.map((list) => withoutSide(list).join(' '));
  return Int32Array.from(sides, (side, f) =>
    side === '' ? f : sides.findIndex((other, k) => other !== '' && other !== side && bare[k] === bare[f]),
  );
}

/** Across the plane of symmetry of a character, and the partners of its joints. */
function findMirrorOfCharacter(rig: Rig): { normal: readonly number[]; partners: Int32Array } {
  const positions = positionsAtRest(rig);
  const at = (j: number) => [...positions.subarray(3 * j, 3 * j + 3)];
  const words = rig.joints.map(wordsOfJoint);
  const sides = words.map(sideOf);
  const bare = words.map((list) => withoutSide(list).join(' '));
  const partners = new Int32Array(rig.joints.length).fill(-1);
  for (const [j, side] of sides.entries()) {
    if (side !== 'left') continue;
    const other = rig.joints.findIndex((_, k) => sides[k] === 'right' && bare[k] === bare[j]);
    if (other < 0 || partners[other] >= 0) continue;
    partners[j] = other;
    partners[other] = j;
  }
  const pairs = [...partners].flatMap((other, j) => (other > j ? [[j, other]] : []));
  const ahead = facing(rig, positions);
  const across = pairs.map(([a, b]) => {
    const way = at(a).map((value, axis) => value - at(b)[axis]);
    return sides[a] === 'left' ? way : way.map((value) => -value);
  });
  const sum = [0, 1, 2].map((axis) => across.reduce((total, way) => total + way[axis], 0));
  const length = Math.hypot(...sum);
  const level = Math.hypot(ahead[0], ahead[2]);
  const normal =
    length > 1e-9 ? sum.map((value) => value / length) : [ahead[2] / level, 0, -ahead[0] / level];
  const middles = pairs.map(([a, b]) => at(a).map((value, axis) => (value + at(b)[axis]) / 2));
  const point =
    middles.length > 0
      ? [0, 1, 2].map((axis) => middles.reduce((total, one) => total + one[axis], 0) / middles.length)
      : at(0);
  const size = Math.max(...[0, 1, 2].map((axis) => extent(positions, axis)), 1e-9);
  const off = (p: readonly number[]) =>
    p.reduce((total, value, axis) => total + (value - point[axis]) * normal[axis], 0);
  for (const [j, side] of sides.entries()) {
    if (side !== '' || partners[j] >= 0) continue;
    const place = at(j);
    const opposite = place.map((value, axis) => value - 2 * off(place) * normal[axis]);
    const near = (k: number) =>
      Math.hypot(...at(k).map((value, axis) => value - opposite[axis])) < NEAR * size;
    if (Math.abs(off(place)) < NEAR * size) partners[j] = j;
    else {
      const other = rig.joints.findIndex((_, k) => k !== j && sides[k] === '' && partners[k] < 0 && near(k));
      if (other < 0) continue;
      partners[j] = other;
      partners[other] = j;
    }
  }
  return { normal, partners };
}

function extent(positions: Float64Array, axis: number): number {
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let i = axis; i < positions.length; i += 3) {
    low = Math.min(low, positions[i]);
    high = Math.max(high, positions[i]);
  }
  return high - low;
}

/** A turn as a mirror shows it: its axis is mirrored and goes round the other way. */
function mirroredTurn(normal: readonly number[], q: readonly number[]): number[] {
  const along = 2 * (q[0] * normal[0] + q[1] * normal[1] + q[2] * normal[2]);
  return [along * normal[0] - q[0], along * normal[1] - q[1], along * normal[2] - q[2], q[3]];
}

const mirroredWay = (normal: readonly number[], v: readonly number[]): number[] => {
  const along = 2 * (v[0] * normal[0] + v[1] * normal[1] + v[2] * normal[2]);
  return v.map((value, axis) => value - along * normal[axis]);
};

/**
 * A pose of joints as it is on the other side of the character: what a joint does its partner does mirrored. The plane
 * goes along with the root, upright and turned to where it heads, so that a character is mirrored on the spot. Joints
 * without a partner are left out, and so are face channels. `wanted` has local transforms by index among the members of the rig.
 */
export function mirrorTransforms(
  rig: Rig,
  wanted: ReadonlyMap<number, LocalTransform>,
): Map<number, LocalTransform> {
  const out = new Map<number, LocalTransform>();
  for (const [j, transform] of wanted) {
    const partner = partnerOf(rig, j);
    if (partner < 0) continue;
    out.set(partner, isFace(rig, j) ? transform : mirrorTransform(rig, j, transform));
  }
  return out;
}

/** What the partner of joint `j` does where `j` does this. */
export function mirrorTransform(
  rig: Rig,
  j: number,
  { rotation, translation, scale }: LocalTransform,
): LocalTransform {
  const { partners } = mirrorOf(rig);
  const { parent, translation: from } = rig.joints[j];
  const { translation: to } = rig.joints[partners[j]];
  return {
    ...(rotation && { rotation: mirroredRotation(rig, j, rotation) }),
    ...(translation && {
      // The root stays where it is: the plane goes through it.
      translation:
        parent < 0
          ? [...translation]
          : mirrorWay(
              rig,
              j,
              translation.map((value, axis) => value - from[axis]),
            ).map((value, axis) => value + to[axis]),
    }),
    ...(scale && { scale }),
  };
}

const parentRest = (rest: Float64Array, parent: number): number[] =>
  parent < 0 ? [0, 0, 0, 1] : [...rest.subarray(4 * parent, 4 * parent + 4)];

/** The turn from rest, in the axes of the scene at rest, is mirrored; that of the root without its heading. */
function mirroredRotation(rig: Rig, j: number, rotation: readonly number[]): number[] {
  const { normals, rest, partners } = mirrorOf(rig);
  const other = partners[j];
  const turn = [0, 0, 0, 1];
  multiply(turn, 0, parentRest(rest, rig.joints[j].parent), 0, [...rotation], 0);
  multiplyByInverse(turn, 0, turn, 0, rest, 4 * j);
  const heading = rig.joints[j].parent < 0 ? headingOf(turn) : [0, 0, 0, 1];
  multiplyInverse(turn, 0, heading, 0, turn, 0);
  const shown = mirroredTurn(normals[j], turn);
  multiply(shown, 0, heading, 0, shown, 0);
  multiply(shown, 0, shown, 0, rest, 4 * other);
  multiplyInverse(shown, 0, parentRest(rest, rig.joints[other].parent), 0, shown, 0);
  return shown;
}

/** The rotation about Y in the swing-twist decomposition of a turn (Dobrowolski 2015); none where it is undefined. */
export function headingOf(turn: readonly number[]): number[] {
  const length = Math.hypot(turn[1], turn[3]);
  return length < 1e-9 ? [0, 0, 0, 1] : [0, turn[1] / length, 0, turn[3] / length];
}

/**
 * What the other side does where some joints go from one pose to another: each partner changes by the mirrored change,
 * whatever pose it is in. Joints in the middle, and partners that change themselves, are left out. `before` and
 * `after` hold local rotations and translations of all joints.
 */
export function mirrorChanges(
  rig: Rig,
  before: { readonly rotations: Float64Array; readonly translations: Float64Array },
  after: ReadonlyMap<number, LocalTransform>,
): Map<number, LocalTransform> {
  const { partners } = mirrorOf(rig);
  const out = new Map<number, LocalTransform>();
  for (const [j, { rotation, translation }] of after) {
    const other = partners[j];
    if (other < 0 || other === j || after.has(other)) continue;
    out.set(other, {
      ...(rotation && {
        rotation: changedRotation(rig, before.rotations, j, other, rotation),
      }),
      ...(translation && {
        translation: changedTranslation(rig, before.translations, j, other, translation),
      }),
    });
  }
  return out;
}

function changedRotation(
  rig: Rig,
  before: Float64Array,
  j: number,
  other: number,
  rotation: readonly number[],
): number[] {
  const change = [0, 0, 0, 1];
  multiplyInverse(change, 0, before, 4 * j, [...rotation], 0);
  const shown = mirrorTurn(rig, j, change);
  multiply(shown, 0, before, 4 * other, shown, 0);
  return shown;
}

function changedTranslation(
  rig: Rig,
  before: Float64Array,
  j: number,
  other: number,
  translation: readonly number[],
): number[] {
  const way = translation.map((value, axis) => value - before[3 * j + axis]);
  return mirrorWay(rig, j, way).map((value, axis) => value + before[3 * other + axis]);
}

/** A turn in the axes of joint `j`, as the partner has it in its own. */
export function mirrorTurn(rig: Rig, j: number, turn: readonly number[]): number[] {
  const { normals, rest, partners } = mirrorOf(rig);
  const inScene = [0, 0, 0, 1];
  multiply(inScene, 0, rest, 4 * j, [...turn], 0);
  multiplyByInverse(inScene, 0, inScene, 0, rest, 4 * j);
  const shown = mirroredTurn(normals[j], inScene);
  multiplyInverse(shown, 0, rest, 4 * partners[j], shown, 0);
  multiply(shown, 0, shown, 0, rest, 4 * partners[j]);
  return shown;
}

/** A way in the axes of the parent of joint `j`, as the partner has it in those of its own parent. */
export function mirrorWay(rig: Rig, j: number, way: readonly number[]): number[] {
  const { normals, rest, partners } = mirrorOf(rig);
  const above = parentRest(rest, rig.joints[j].parent);
  const otherAbove = parentRest(rest, rig.joints[partners[j]].parent);
  const moved = [...way];
  rotate(moved, 0, above, 0, moved, 0);
  const shown = mirroredWay(normals[j], moved);
  rotate(shown, 0, [-otherAbove[0], -otherAbove[1], -otherAbove[2], otherAbove[3]], 0, shown, 0);
  return shown;
}

/** A turn in the axes of the scene, or of a character that looks ahead, on the other side of the character of joint `j`. */
export const mirrorSceneTurn = (rig: Rig, j: number, turn: readonly number[]): number[] =>
  mirroredTurn(mirrorOf(rig).normals[j], turn);

export const mirrorSceneWay = (rig: Rig, j: number, way: readonly number[]): number[] =>
  mirroredWay(mirrorOf(rig).normals[j], way);
