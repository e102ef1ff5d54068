import type { Transform } from '../../math/matrix.js';

type Path = 'translation' | 'rotation' | 'scale';

/**
 * How a node that mirrors, or hangs below one that does, becomes a joint that does not. With `D` the diagonal of `axes` of
 * the joint, `P` that of its parent, and `S` the signs of the node's scales at rest, `D = P·S`: the joint's axes are the
 * node's times `D`, and its transform is `P·T·P`, `P·R·P`, `|S|`. Every number is multiplied by 1 or -1, so keys of any
 * interpolation stay what they are, and doing it twice undoes it.
 */
export interface Mirrored {
  /** What each number of a property is multiplied by. */
  readonly signs: { readonly [P in Path]: readonly number[] };
  /** What the node's axes are multiplied by. */
  readonly axes: readonly number[];
}

const PLAIN = [1, 1, 1];

/**
 * How each joint stands to its node; undefined for those of a file without negative scales, and elsewhere where nothing
 * changes. `nodes` are the transforms of the nodes, parents before children, `parents` their indices or -1.
 */
export function mirroredJoints(
  nodes: readonly Pick<Transform, 'scale'>[],
  parents: readonly number[],
): (Mirrored | undefined)[] {
  const found: (Mirrored | undefined)[] = [];
  for (const [j, { scale }] of nodes.entries()) {
    const above = found[parents[j]]?.axes ?? PLAIN;
    const own = scale.map((value) => (value < 0 ? -1 : 1));
    const axes = own.map((sign, k) => sign * above[k]);
    if ([...above, ...own].every((sign) => sign > 0)) {
      found.push(undefined);
      continue;
    }
    // A reflection turns the axis of a rotation round besides (the axis is a pseudovector).
    const turned = above[0] * above[1] * above[2];
    found.push({
      signs: { translation: above, rotation: [...above.map((sign) => turned * sign), 1], scale: own },
      axes,
    });
  }
  return found;
}

/** Multiplies the numbers of a property by their signs, in place: of the joint from those of the node, or back. */
export function mirrorNumbers<A extends Float32Array | Float64Array>(
  mirrored: Mirrored | undefined,
  path: Path,
  numbers: A,
): A {
  if (!mirrored) return numbers;
  const signs = mirrored.signs[path];
  for (let i = 0; i < numbers.length; i++) numbers[i] *= signs[i % signs.length];
  return numbers;
}

/** A transform of the joint from that of its node, or back. */
export function mirrorTransform(mirrored: Mirrored | undefined, transform: Transform): Transform {
  if (!mirrored) return transform;
  const { signs } = mirrored;
  const by = <T extends readonly number[]>(values: T, path: Path) =>
    values.map((value, k) => value * signs[path][k]) as unknown as T;
  return {
    translation: by(transform.translation, 'translation'),
    rotation: by(transform.rotation, 'rotation'),
    scale: by(transform.scale, 'scale'),
  };
}
