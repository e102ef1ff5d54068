import { placedBelow } from '../../check/standing.js';
import { newKey } from '../../curve/curve.js';
import { compilePath, placeOnPath } from '../../curve/path.js';
import { compileStack } from '../../evaluate/compile.js';
import { targetsOf, withTargets } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import { layerIndex, type Project } from '../../layer/project.js';
import { coincidentIn, newTarget, type TargetPath } from '../../layer/target.js';
import { rigHeight } from '../../rig/pose.js';
import { jointIndex, type Vector3 } from '../../rig/rig.js';
import type { Added } from '../stack/layers.js';
import { changeTarget } from './targets.js';

/** How long a new path is, in heights of the character. */
const LENGTH = 2;

/**
 * Lets a prop, or another joint that is no limb's end, go along a path: it begins where that is seen at a frame and goes two heights of
 * the character ahead, evenly from the first frame of the range to the last. It goes on the layer `on`, or on a new override
 * layer above `above`.
 */
export function addPath(
  project: Project,
  joint: string,
  frame: number,
  where: { readonly on: string } | { readonly above: string },
): Added & { readonly target: string } {
  const { rig, range } = project;
  const index = layerIndex(project, 'on' in where ? where.on : where.above);
  const placed = placedBelow(compileStack(project), frame, index + 1);
  const o = 16 * jointIndex(rig, joint) + 12;
  const [x, y, z] = placed.matrices.subarray(o, o + 3);
  const length = LENGTH * (rigHeight(rig) || 1);
  const path: TargetPath = {
    points: [
      [x, y, z],
      [x, y, z + length / 2],
      [x, y, z + length],
    ],
    closed: false,
    heading: false,
    along: {
      keys:
        range[1] > range[0] ? [newKey(range[0], 0, 'linear'), newKey(range[1], 1)] : [newKey(range[0], 0)],
    },
  };
  const target = newTarget(joint, { path });
  const add = (layer: Project['layers'][number]) => withTargets(layer, [...targetsOf(layer), target]);
  if ('on' in where) {
    const layers = project.layers.map((layer) => (layer.id === where.on ? add(layer) : layer));
    return { project: { ...project, layers }, id: where.on, target: target.id };
  }
  const layer = newLayer(freeName(project, `${joint} along`, true), 'override', {
    color: freeColor(project),
  });
  return { project: insertLayer(project, add(layer), index + 1), id: layer.id, target: target.id };
}

/** Changes the path of a target. One of fewer than two points, or of points that coincide, changes nothing. */
export const changePath = (
  project: Project,
  layer: string,
  target: string,
  change: (path: TargetPath) => TargetPath,
): Project =>
  changeTarget(project, layer, target, (one) => {
    if (!one.path) return one;
    const path = change(one.path);
    const whole = path.points.length > 1 && coincidentIn(path.points, path.closed) === undefined;
    return whole ? { ...one, path } : one;
  });

/** A path with a point more behind one of its points: half way to the next, or as far on behind the last of an open one. */
export function withPointAfter(path: TargetPath, after: number): TargetPath {
  const { points, closed } = path;
  const last = points.length - 1;
  const next = after < last ? points[after + 1] : closed ? points[0] : undefined;
  const here = points[after];
  const mix = (a: Vector3, b: Vector3, by: number) =>
    a.map((value, axis) => value + by * (b[axis] - value)) as unknown as Vector3;
  const added = next ? between(path, after) : mix(points[after - 1] ?? here, here, 2);
  return { ...path, points: points.toSpliced(after + 1, 0, added) };
}

/** The middle of a piece of a path, on its curve. */
function between({ points, closed }: TargetPath, piece: number): Vector3 {
  const { cubics } = compilePath(points, closed);
  const at = (axis: number) => {
    const c = 12 * piece + 4 * axis;
    return cubics[c] + 0.5 * (cubics[c + 1] + 0.5 * (cubics[c + 2] + 0.5 * cubics[c + 3]));
  };
  return [at(0), at(1), at(2)];
}

/** Places along a path, evenly by its length, as it is drawn: the last is the first where it is closed. */
export function drawnPath({ points, closed }: TargetPath, count: number): Float64Array {
  const path = compilePath(points, closed);
  const out = new Float64Array(3 * count);
  for (let k = 0; k < count; k++) {
    const along = k / (count - 1);
    placeOnPath(path, closed && along === 1 ? 0 : along, out.subarray(3 * k, 3 * k + 3));
  }
  return out;
}
