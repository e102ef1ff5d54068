import { DEGREES, type EulerOrder, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { multiply, rotate } from '../../math/quaternion.js';
import { turnBetween } from '../../math/turn.js';
import { facing } from '../../rig/facing.js';
import { mirrorOf } from '../../rig/mirror.js';
import { positionsAtRest } from '../../rig/rest.js';
import { jointIndex, type Rig } from '../../rig/rig.js';
import { hipsHeight } from '../../rig/stand.js';
import type { TripleMap } from '../keys/curves-by-map.js';

/** A map of three numbers, or a factor and what is added to each where it is no more than that. */
export type NumbersMap = TripleMap | { readonly factor: number; readonly added: readonly number[] };

/** How numbers of a joint of one character become those of a joint of another. */
export interface BetweenRigs {
  /** How many times as high the hips of the other stand. */
  readonly ratio: number;
  readonly changeTurn: (own: string, other: string, axes: 'joint' | 'world' | 'character') => NumbersMap;
  readonly changeMove: (own: string, other: string, axes: 'joint' | 'world' | 'character') => NumbersMap;
  readonly poseTurn: (own: string, other: string) => NumbersMap;
  readonly poseMove: (own: string, other: string) => NumbersMap;
  /** Of a target: a place in the axes of a joint, or of the world where they are missing. */
  readonly placeIn: (own: string | undefined, other: string | undefined) => NumbersMap;
  /** Of a target: the turn of an end in the axes of a joint, or of the world where they are missing. */
  readonly turnIn: (
    space: readonly [string, string] | undefined,
    end: readonly [string, string],
  ) => NumbersMap;
  /** The numbers that a joint of the first has at rest: its angles, and its translation. */
  readonly restOf: (own: string) => { readonly turn: readonly number[]; readonly move: readonly number[] };
}

type Turn = readonly number[];
const NONE: Turn = [0, 0, 0, 1];
const ALIKE = 1e-9;

const product = (a: Turn, b: Turn): number[] => {
  const out = [0, 0, 0, 1];
  multiply(out, 0, [...a], 0, [...b], 0);
  return out;
};
const inverse = ([x, y, z, w]: Turn): number[] => [-x, -y, -z, w];
const isNone = ([x, y, z]: Turn): boolean => Math.hypot(x, y, z) < ALIKE;
const toTurn = (order: EulerOrder, degrees: readonly number[]): number[] => {
  const q = [0, 0, 0, 1];
  eulerToQuaternion(
    q,
    0,
    order,
    degrees.map((angle) => angle * RADIANS),
    0,
  );
  return q;
};
const toDegrees = (order: EulerOrder, q: Turn): number[] => {
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, order, [...q], 0);
  return angles.map((angle) => angle * DEGREES);
};
const turned = (q: Turn, v: readonly number[], factor: number): number[] => {
  const out = [0, 0, 0];
  rotate(out, 0, [...q], 0, [...v], 0);
  return out.map((value) => factor * value);
};

/** A rig as far as numbers of its joints are turned into those of another. */
function axesOf(rig: Rig) {
  const { rest } = mirrorOf(rig);
  const at = (j: number): Turn => (j < 0 ? NONE : [...rest.subarray(4 * j, 4 * j + 4)]);
  return {
    joint: (name: string) => rig.joints[jointIndex(rig, name)],
    own: (name: string) => at(jointIndex(rig, name)),
    parent: (name: string) => at(rig.joints[jointIndex(rig, name)].parent),
    ahead: facing(rig, positionsAtRest(rig)),
  };
}

/**
 * How numbers of joints of one character become those of another whose axes, facing and size at rest are others. A change looks
 * the same in the character's axes at rest; a pose turns a joint as far from rest, against its parent. Lengths are times
 * the ratio of the heights of the hips. Between characters that are alike there nothing changes, to the bit.
 */
export function betweenRigs(from: Rig, to: Rig): BetweenRigs {
  const [a, b] = [axesOf(from), axesOf(to)];
  const [low, high] = [hipsHeight(from), hipsHeight(to)];
  const ratio = low > 0 && high > 0 ? high / low : 1;
  const ahead = turnBetween(a.ahead, b.ahead);
  const facingTurn: Turn = isNone(ahead) ? NONE : ahead;
  /** From the axes of a joint at rest to those of another: `G_to⁻¹ · F · G_from`. */
  const across = (own: Turn, other: Turn, aheads = facingTurn): Turn =>
    product(inverse(other), product(aheads, own));
  const turnMap = (left: Turn, right: Turn, one: EulerOrder, other: EulerOrder): NumbersMap =>
    isNone(left) && isNone(right) && one === other
      ? { factor: 1, added: [0, 0, 0] }
      : (degrees) => toDegrees(other, product(left, product(toTurn(one, degrees), right)));
  const moveMap = (turn: Turn): NumbersMap =>
    isNone(turn) ? { factor: ratio, added: [0, 0, 0] } : (values) => turned(turn, values, ratio);
  const ordersOf = (own: string, other: string) => [a.joint(own).order, b.joint(other).order] as const;
  return {
    ratio,
    changeTurn(own, other, axes) {
      const way =
        axes === 'joint' ? across(a.own(own), b.own(other)) : axes === 'character' ? facingTurn : NONE;
      return turnMap(way, inverse(way), ...ordersOf(own, other));
    },
    changeMove: (own, other, axes) =>
      moveMap(
        axes === 'joint' ? across(a.parent(own), b.parent(other)) : axes === 'character' ? facingTurn : NONE,
      ),
    poseTurn(own, other) {
      const left = across(a.parent(own), b.parent(other));
      const right = inverse(across(a.own(own), b.own(other)));
      return turnMap(left, right, ...ordersOf(own, other));
    },
    poseMove(own, other) {
      const [one, two] = [a.joint(own), b.joint(other)];
      if (one.parent < 0 && two.parent < 0) return { factor: ratio, added: [0, 0, 0] };
      const way = across(a.parent(own), b.parent(other));
      const rest = two.translation;
      if (isNone(way)) {
        const added = rest.map((value, axis) => value - ratio * one.translation[axis]);
        return { factor: ratio, added: added.map((value) => (Math.abs(value) < ALIKE ? 0 : value)) };
      }
      return (values) =>
        turned(
          way,
          values.map((value, axis) => value - one.translation[axis]),
          ratio,
        ).map((value, axis) => rest[axis] + value);
    },
    placeIn: (own, other) =>
      moveMap(own === undefined || other === undefined ? NONE : across(a.own(own), b.own(other))),
    turnIn(space, [own, other]) {
      const aheads = space ? facingTurn : NONE;
      const left = space ? across(a.own(space[0]), b.own(space[1])) : NONE;
      return turnMap(left, inverse(across(a.own(own), b.own(other), aheads)), 'YXZ', 'YXZ');
    },
    restOf(own) {
      const { rotation, order, translation } = a.joint(own);
      return { turn: toDegrees(order, rotation), move: translation };
    },
  };
}
