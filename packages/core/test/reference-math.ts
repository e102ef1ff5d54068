import type { Project, Rig } from '../src/index.js';

/** Vectors and quaternions of the plain evaluator, and where the joints of a pose are. No code of the core. */

export interface ReferencePose {
  readonly translations: V[];
  readonly rotations: Q[];
  readonly scales: V[];
  /** A number for each face channel. */
  readonly faces: V;
}

export type V = number[];
export type Q = number[];

export const times = (a: Q, b: Q): Q => [
  a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
  a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
  a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
  a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
];
export const inverse = (q: Q): Q => [-q[0], -q[1], -q[2], q[3]];
export const turned = (q: Q, v: V): V => times(times(q, [...v, 0]), inverse(q)).slice(0, 3);

/** Shoemake's formula as it is printed, with the angle from an arc tangent so that small ones keep their digits. */
export function slerp(a: Q, b: Q, t: number): Q {
  const dot = a.reduce((sum, value, k) => sum + value * b[k], 0);
  const to = dot < 0 ? b.map((value) => -value) : b;
  const far = Math.hypot(...a.map((value, k) => value - to[k]));
  const near = Math.hypot(...a.map((value, k) => value + to[k]));
  const theta = 2 * Math.atan2(far, near);
  if (theta < 1e-9) return a.map((value, k) => value + t * (to[k] - value));
  return a.map(
    (value, k) => (Math.sin((1 - t) * theta) * value + Math.sin(t * theta) * to[k]) / Math.sin(theta),
  );
}

export const ONE: Q = [0, 0, 0, 1];
const AXIS: Record<string, V> = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] };
export const about = (axis: string, angle: number): Q => [
  ...AXIS[axis].map((value) => value * Math.sin(angle / 2)),
  Math.cos(angle / 2),
];
export const RAD = Math.PI / 180;

/** The product of three turns about single axes, as the order is written; angles are `rx, ry, rz` in radians. */
export const fromEuler = (order: string, angles: V): Q =>
  [...order].map((axis) => about(axis, angles['XYZ'.indexOf(axis)])).reduce(times);

/** Angles in the order, found on the rotated axes; the last angle is 0 at a pole. */
export function toEuler(order: string, q: Q): V {
  const [a, b, c] = [...order].map((axis) => 'XYZ'.indexOf(axis));
  const e = (b - a + 3) % 3 === 1 ? 1 : -1;
  const column = [0, 1, 2].map((k) =>
    turned(
      q,
      [0, 1, 2].map((i) => (i === k ? 1 : 0)),
    ),
  );
  const m = (row: number, col: number) => column[col][row];
  const out = [0, 0, 0];
  const flat = Math.hypot(m(a, a), m(a, b));
  out[b] = Math.atan2(e * m(a, c), flat);
  if (flat > 1e-9) {
    out[a] = Math.atan2(-e * m(b, c), m(c, c));
    out[c] = Math.atan2(-e * m(a, b), m(a, a));
  } else out[a] = Math.atan2(e * m(c, b), m(b, b));
  return out;
}

/** Where a character stands: turned about Y by degrees, moved, made larger. */
export interface PlainStand {
  readonly at: V;
  readonly heading: number;
  readonly scale: number;
}

const AT_HOME: PlainStand = { at: [0, 0, 0], heading: 0, scale: 1 };

/** Where the characters of the rig of a scene stand, by the name that stands before their joints. */
const standsOf = new WeakMap<Rig, ReadonlyMap<string, PlainStand>>();

/** Tells the plain evaluator where the characters of a project stand. */
export function learnStands({ rig, scene }: Pick<Project, 'rig' | 'scene'>): void {
  const further = scene.characters.slice(1);
  standsOf.set(
    rig,
    new Map(further.map(({ name, stand }) => [name, { ...AT_HOME, ...stand } as PlainStand])),
  );
}

/** The name of the character that a joint is of, empty for the first and for props. */
export const ownerName = (rig: Rig, j: number): string => {
  const [name] = rig.joints[j].name.split('/');
  return standsOf.get(rig)?.has(name) ? name : '';
};

export const standOf = (rig: Rig, j: number): PlainStand =>
  standsOf.get(rig)?.get(ownerName(rig, j)) ?? AT_HOME;

/** How a character is turned in the scene. */
export const standTurn = (rig: Rig, j: number): Q => about('Y', standOf(rig, j).heading * RAD);

/** Index of the joint without a parent of the character that a joint is of; of a prop, of the first. */
export const rootAbove = (rig: Rig, j: number): number =>
  rig.joints.findIndex(({ parent }, k) => parent < 0 && ownerName(rig, k) === ownerName(rig, j));

/** The heading of a character: how far its root is turned about Y in the scene, from its rest in its own space. */
export function headingOf(rig: Rig, rotations: readonly Q[], j: number): Q {
  const root = rootAbove(rig, j);
  const [, y, , w] = times(
    times(standTurn(rig, root), rotations[root]),
    inverse([...rig.joints[root].rotation]),
  );
  const length = Math.hypot(y, w);
  return length > 1e-12 ? [0, y / length, 0, w / length] : ONE;
}

/**
 * World positions and orientations of all joints of a pose, and its face channels; with `alone` in the space of each character.
 */
export function worldOf(
  rig: Rig,
  pose: ReferencePose,
  alone = false,
): { positions: V[]; orientations: Q[]; faces: V } {
  const matrix: number[][][] = [];
  const positions: V[] = [];
  const orientations: Q[] = [];
  for (const [j, joint] of rig.joints.entries()) {
    const columns = [0, 1, 2].map((k) =>
      turned(
        pose.rotations[j],
        [0, 1, 2].map((i) => (i === k ? pose.scales[j][k] : 0)),
      ),
    );
    const t = pose.translations[j];
    if (joint.parent < 0) {
      const { at, scale } = alone ? AT_HOME : standOf(rig, j);
      const turn = alone ? ONE : standTurn(rig, j);
      const inScene = (v: V) => turned(turn, v).map((value) => scale * value);
      matrix.push(columns.map(inScene));
      positions.push(inScene(t).map((value, k) => value + at[k]));
      orientations.push(times(turn, pose.rotations[j]));
      continue;
    }
    const up = matrix[joint.parent];
    const apply = (v: V) => [0, 1, 2].map((row) => up[0][row] * v[0] + up[1][row] * v[1] + up[2][row] * v[2]);
    matrix.push(columns.map(apply));
    positions.push(apply(t).map((value, k) => value + positions[joint.parent][k]));
    orientations.push(times(orientations[joint.parent], pose.rotations[j]));
  }
  return { positions, orientations, faces: pose.faces };
}
