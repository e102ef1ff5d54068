import { affine, type Curve, isCurve, type Scalar } from '../../curve/curve.js';
import type { Kit, KitLayer, RootPlace } from '../../kit/kit.js';
import { channelsOf, isKeyed, type JointChannels, keyed, targetsOf } from '../../layer/content.js';
import type { Placement } from '../../layer/layer.js';
import type { Prop } from '../../layer/prop.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { multiply, rotate } from '../../math/quaternion.js';
import { emptyRecord } from '../../record.js';
import type { Vector3 } from '../../rig/rig.js';
import { curvesByMap, type TripleMap } from '../keys/curves-by-map.js';

/** A turn about Y, in degrees, and then a shift along the floor. */
export interface FloorMove {
  readonly heading: number;
  readonly by: Vector3;
}

/** The move that brings one place of a root to another; undefined where it is none. */
export function moveToRoot(from: RootPlace, to: RootPlace): FloorMove | undefined {
  if (from.heading === to.heading && from.at[0] === to.at[0] && from.at[2] === to.at[2]) return undefined;
  const heading = to.heading - from.heading;
  const [x, , z] = turnedBy(heading, [from.at[0], 0, from.at[2]]);
  return { heading, by: [to.at[0] - x, 0, to.at[2] - z] };
}

const aboutY = (degrees: number): number[] => [
  0,
  Math.sin((degrees * RADIANS) / 2),
  0,
  Math.cos((degrees * RADIANS) / 2),
];

function turnedBy(degrees: number, place: readonly number[]): number[] {
  const out = [0, 0, 0];
  rotate(out, 0, aboutY(degrees), 0, [...place], 0);
  return out;
}

const placeBy = ({ heading, by }: FloorMove, place: readonly number[]): number[] =>
  turnedBy(heading, place).map((value, axis) => value + by[axis]);

/** A prop that was put elsewhere. */
export const propBy = (prop: Prop, move: FloorMove): Prop => ({
  ...prop,
  at: placeBy(move, prop.at) as unknown as Vector3,
  turn: [prop.turn[0], prop.turn[1] + move.heading, prop.turn[2]],
});

/** Without looks: a place in the scene, of the size of a hand. */
export const placeProp = (name: string, { heading, by }: FloorMove, size: Vector3): Prop => ({
  name,
  shape: 'box',
  size,
  at: by,
  turn: [0, heading, 0],
  hidden: true,
});

/**
 * Layers whose kit has become a place of its own: targets and placements that were in the world are in the space of `place`, a
 * prop that stands where the world of the kit has come to, and keys of `props` are turned and moved.
 */
export const layersAtRoot = (
  layers: readonly KitLayer[],
  move: FloorMove,
  place: string,
  props: ReadonlySet<string>,
): KitLayer[] =>
  layers.map((one) => {
    const { layer } = one;
    const { placement } = layer;
    const channels = emptyRecord<JointChannels>();
    for (const [name, curves] of Object.entries(channelsOf(layer)))
      channels[name] = props.has(name) && layer.mode === 'override' ? propKeysBy(curves, move) : curves;
    const targets = targetsOf(layer).map((target) =>
      layer.mode === 'override' && target.space === undefined ? { ...target, space: place } : target,
    );
    return {
      ...one,
      layer: {
        ...layer,
        ...(placement && placement.space === undefined && { placement: placementBy(placement, move) }),
        ...(isKeyed(layer) && { content: keyed(channels, targets) }),
      },
    };
  });

function propKeysBy(curves: JointChannels, move: FloorMove): JointChannels {
  const { tx, ty, tz, rx, ry, rz } = curves;
  const triple = (own: readonly (Curve | undefined)[], map: TripleMap, angles: boolean) =>
    own.some((curve) => curve) ? curvesByMap(own, map, angles ? 'XYZ' : undefined) : own;
  const places = triple([tx, ty, tz], (place) => placeBy(move, place), false);
  const turns = triple([rx, ry, rz], (degrees) => turnBy(move.heading, degrees), true);
  const names = ['tx', 'ty', 'tz', 'rx', 'ry', 'rz'] as const;
  const moved = [...places, ...turns].flatMap((curve, k) => (curve ? [[names[k], curve] as const] : []));
  return { ...curves, ...Object.fromEntries(moved) };
}

/** Angles of a prop after a turn about Y. */
function turnBy(heading: number, degrees: readonly number[]): number[] {
  const q = [0, 0, 0, 1];
  eulerToQuaternion(
    q,
    0,
    'XYZ',
    degrees.map((angle) => angle * RADIANS),
    0,
  );
  multiply(q, 0, aboutY(heading), 0, q, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'XYZ', q, 0);
  return angles.map((angle) => angle * DEGREES);
}

/** `pivot + t + R·(x - pivot)` moved as a whole: its turn goes on about Y, and what it moves by with it. */
function placementBy(placement: Placement, move: FloorMove): Placement {
  const { pivot, tx, ty, tz, ry } = placement;
  const map: TripleMap = (by) =>
    placeBy(
      move,
      by.map((value, axis) => pivot[axis] + value),
    ).map((value, axis) => value - pivot[axis]);
  const own = [tx, ty, tz];
  const numbers = own.map((scalar) => (isCurve(scalar) ? (scalar.keys[0]?.value ?? 0) : scalar));
  const moved: readonly Scalar[] = own.some(isCurve)
    ? curvesByMap(
        own.map((scalar) => (isCurve(scalar) ? scalar : undefined)),
        map,
        undefined,
        numbers,
      )
    : map(numbers);
  return {
    ...placement,
    tx: moved[0],
    ty: moved[1],
    tz: moved[2],
    ry: isCurve(ry) ? affine(ry, 1, move.heading) : ry + move.heading,
  };
}

/** The root place of a kit at another size. */
export const rootAtSize = ({ root }: Kit, ratio: number): RootPlace | undefined =>
  root &&
  (ratio === 1 ? root : { ...root, at: [root.at[0] * ratio, root.at[1] * ratio, root.at[2] * ratio] });
