import type { ReadCamera } from '../../format/gltf/cameras.js';
import { keyed } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { type PropShape, sizeFor } from '../../layer/prop.js';
import { DEGREES, quaternionToEuler, unwindEuler } from '../../math/euler.js';
import { normalize } from '../../math/quaternion.js';
import type { Vector3 } from '../../rig/rig.js';
import { addPoints, curvesThrough, type Points } from '../keys/curves-through.js';
import { addProp, freePropName } from './props.js';

/** A scene with the cameras of a file. */
export interface CamerasAdded {
  readonly project: Project;
  /** The indices of the props that they are. */
  readonly props: readonly number[];
  /** The id of the layer that moves those that move. */
  readonly layer?: string;
}

const SHAPE: PropShape = 'box';
/** At this tolerance a camera passes within a hundredth of a degree of its way (see `curvesThrough`). */
const LOOSE = 2;

/**
 * Puts cameras into the scene where they stand in their file, `unit` metres a length of the scene, and those that move on the way that they
 * go there, as keys of one override layer on top: frame 0 is the beginning of their animation. Their steps are frames of the project.
 */
export function addCameras(project: Project, cameras: readonly ReadCamera[], unit: number): CamerasAdded {
  let next = project;
  const props: number[] = [];
  const points: Points = new Map();
  for (const { name, at, turn, fov, moves } of cameras) {
    const placed = at.map((value) => value / unit) as unknown as Vector3;
    const prop = { name: freePropName(next, name), shape: SHAPE, size: sizeFor(next.rig), at: placed, turn };
    next = addProp(next, { ...prop, camera: { fov } });
    const p = next.rig.joints.length - 1;
    props.push(p);
    const { order } = next.rig.joints[p];
    const near = [0, 0, 0];
    for (let k = 0; moves && 3 * k < moves.places.length; k++) {
      const angles = [0, 0, 0];
      const own = [...moves.turns.subarray(4 * k, 4 * k + 4)];
      normalize(own, 0);
      quaternionToEuler(angles, 0, order, own, 0);
      unwindEuler(angles, 0, order, near, 0);
      for (let axis = 0; axis < 3; axis++) near[axis] = angles[axis];
      const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
      const [tx, ty, tz] = [...moves.places.subarray(3 * k, 3 * k + 3)].map((value) => value / unit);
      addPoints(points, p, k, { tx, ty, tz, rx, ry, rz });
    }
  }
  if (points.size === 0) return { project: next, props };
  const moved = cameras.filter(({ moves }) => moves);
  const stem = moved.length === 1 ? `${moved[0].name} moves` : 'Cameras move';
  const layer = newLayer(freeName(next, stem, true), 'override', {
    color: freeColor(next),
    content: keyed(curvesThrough(next, points, new Set(), LOOSE)),
  });
  return { project: insertLayer(next, layer, next.layers.length), props, layer: layer.id };
}
