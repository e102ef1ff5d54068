import * as THREE from 'three';

/** A thing that is to be seen: a ball. */
export interface Seen {
  readonly at: THREE.Vector3;
  readonly radius: number;
}

/** Which part of the picture may be filled, from its middle (0) to each edge (1). */
export interface Margins {
  readonly top: number;
  readonly bottom: number;
  readonly side: number;
}

/** Where a camera stands and what it looks at. */
interface Framed {
  readonly position: THREE.Vector3;
  readonly target: THREE.Vector3;
}

const UP = new THREE.Vector3(0, 1, 0);

/**
 * The nearest place from which a camera that looks along `-way` has all of some things within the margins of its picture.
 * `fov` is its upright angle of view in degrees, `way` has length 1. By bisection: whether things fit at a distance is an
 * inequality for how far the camera is moved across, for each edge of each thing.
 */
export function framingOf(
  things: readonly Seen[],
  way: THREE.Vector3,
  { fov, aspect }: { readonly fov: number; readonly aspect: number },
  { top, bottom, side }: Margins,
): Framed {
  const box = new THREE.Box3();
  for (const { at } of things) box.expandByPoint(at);
  const centre = box.getCenter(new THREE.Vector3());
  const ahead = way.clone().negate();
  const right = ahead.clone().cross(UP);
  if (right.lengthSq() < 1e-12) right.set(1, 0, 0);
  right.normalize();
  const up = right.clone().cross(ahead);
  const own = things.map(({ at, radius }) => {
    const from = at.clone().sub(centre);
    return { x: from.dot(right), y: from.dot(up), z: from.dot(ahead), radius };
  });
  const upright = Math.tan((fov * Math.PI) / 360);
  const across = upright * aspect;
  /** How far a camera at a distance may be moved one way at least and at most; it does not fit where that is the wrong way round. */
  const range = (distance: number, axis: 'x' | 'y', half: number, high: number, low: number) => {
    let [least, most] = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
    for (const one of own) {
      const room = half * (distance + one.z - one.radius);
      if (room <= 0) return [1, 0] as const;
      least = Math.max(least, one[axis] + one.radius - high * room);
      most = Math.min(most, one[axis] - one.radius + low * room);
    }
    return [least, most] as const;
  };
  const ranges = (distance: number) => [
    range(distance, 'x', across, side, side),
    range(distance, 'y', upright, top, bottom),
  ];
  const fits = (distance: number) => ranges(distance).every(([least, most]) => least <= most);
  let far = 1;
  while (!fits(far) && far < 1e6) far *= 2;
  let near = 0;
  for (let k = 0; k < 50; k++) {
    const middle = (near + far) / 2;
    if (fits(middle)) far = middle;
    else near = middle;
  }
  const [[least, most], [low, high]] = ranges(far);
  // Across, the middle of things stays in the middle of the picture where it can.
  const x = Math.min(most, Math.max(least, 0));
  const y = (low + high) / 2;
  const target = centre.clone().addScaledVector(right, x).addScaledVector(up, y);
  return { target, position: target.clone().addScaledVector(way, far) };
}
