import { placedBelow } from '../../check/standing.js';
import { compileScalar, readScalar } from '../../curve/evaluate.js';
import { fewKeys } from '../../curve/few-keys.js';
import { compileStack } from '../../evaluate/compile.js';
import { channelsOf, takeOf } from '../../layer/content.js';
import { type Layer, PLACEMENT_CHANNELS } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { placementSpaceRefusal } from '../../layer/space-refusal.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS, unwindEuler } from '../../math/euler.js';
import { multiply, multiplyInverse, rotate } from '../../math/quaternion.js';
import type { Placed } from '../../rig/placed.js';
import { rigHeight } from '../../rig/pose.js';
import { characterIndex, jointIndex } from '../../rig/rig.js';
import { frameOf, rootOf } from '../../rig/topology.js';
import { jointsPlayed } from '../../take/take.js';
import { changeLayer } from '../change.js';
import { mapPlacement } from '../keys/curves.js';
import { pivotOf } from './root.js';

/** The joints for which a layer has content. */
function contentJoints(project: Project, layer: Layer): number[] {
  const content = takeOf(layer);
  const take = project.takes.find(({ id }) => id === content?.take);
  return take
    ? jointsPlayed(project.rig, take, characterIndex(project.rig, content?.character))
    : Object.keys(channelsOf(layer)).map((name) => jointIndex(project.rig, name));
}

/** Why a performance cannot be placed in the space of a joint, in words for people; undefined where it can. */
export function placementRefusal(project: Project, id: string, space: string): string | undefined {
  const layer = layerById(project, id);
  return layer && placementSpaceRefusal(project.rig, space, contentJoints(project, layer));
}

/**
 * The name of a layer from which a joint, or what it hangs on, has its motion though that counts only above another layer: what is in the
 * joint's space there sees it without. Undefined where there is none.
 */
export function movedAbove(project: Project, id: string, space: string): string | undefined {
  const index = layerIndex(project, id);
  const stack = compileStack(project);
  const above: number[] = [];
  for (let j = jointIndex(project.rig, space); j >= 0; j = project.rig.joints[j].parent) above.push(j);
  const moves = ({ slots }: (typeof stack.layers)[number]) => above.some((j) => slots[j] >= 0);
  return stack.layers.find((layer, k) => k > index && stack.live[k] && moves(layer))?.layer.name;
}

/** The character of which a layer places the performance. */
export const placedCharacter = (project: Project, layer: Layer): number =>
  Math.max(0, characterIndex(project.rig, takeOf(layer)?.character));

/** Where a performance is meant: a place and a turn in the scene, and the length of a unit there. */
export interface PlacedIn {
  readonly origin: readonly number[];
  readonly turn: readonly number[];
  readonly length: number;
}

/** Where a layer's performance is meant in the space of a joint, or where its character stands. */
export function spaceAt(project: Project, layer: Layer, placed: Placed, space: string | undefined): PlacedIn {
  const frame = frameOf(project.rig, rootOf(project.rig, placedCharacter(project, layer)));
  const length = frame?.scale ?? 1;
  if (space === undefined)
    return { origin: frame?.at ?? [0, 0, 0], turn: frame?.turn ?? [0, 0, 0, 1], length };
  const j = jointIndex(project.rig, space);
  return {
    origin: [...placed.matrices.subarray(16 * j + 12, 16 * j + 15)],
    turn: [...placed.orientations.subarray(4 * j, 4 * j + 4)],
    length,
  };
}

/** How far keys may pass from what was worked out: parts of the height, degrees. */
const CLOSE = { length: 2e-5, angle: 0.01 };

/**
 * Places a layer's performance in the space of a prop or joint, or where its character stands again, with what is seen kept over the
 * range. Where both stay apart as they are, numbers stay numbers; else keys are set, as few as serve.
 */
export function setPlacementSpace(project: Project, id: string, space: string | undefined): Project {
  const layer = layerById(project, id);
  if (!layer || layer.placement?.space === space) return project;
  const placement = layer.placement ?? { pivot: pivotOf(project, layer), ...mapPlacement(() => 0) };
  const stack = compileStack(project);
  const index = layerIndex(project, id);
  const near = [0, 0, 0];
  const rows: { readonly frame: number; readonly values: readonly number[] }[] = [];
  for (let frame = Math.ceil(project.range[0]); frame <= project.range[1]; frame++) {
    const placed = placedBelow(stack, frame, index);
    const values = PLACEMENT_CHANNELS.map((channel) => {
      const room = new Float64Array([frame, 0]);
      readScalar(compileScalar(placement[channel]), room, 0, room, 1);
      return room[1];
    });
    const [from, to] = [placement.space, space].map((one) => spaceAt(project, layer, placed, one));
    rows.push({ frame, values: moved(values, placement.pivot, from, to, near) });
  }
  const height = rigHeight(project.rig);
  const curves = Object.fromEntries(
    PLACEMENT_CHANNELS.map((channel, k) => {
      const points = rows.map(({ frame, values }) => [frame, values[k]] as [number, number]);
      const own = points.map(([, value]) => value);
      const close = channel[0] === 'r' ? CLOSE.angle : CLOSE.length * height;
      if (Math.max(...own) - Math.min(...own) < close) return [channel, own[0]];
      return [channel, { keys: fewKeys(points, close) }];
    }),
  );
  const { space: _, ...plain } = placement;
  return changeLayer(project, id, (one) => ({
    ...one,
    placement: { ...plain, ...curves, ...(space !== undefined && { space }) },
  }));
}

/** The numbers of a placement in one space so that all of it is where it was in another; angles run on from `near`. */
function moved(
  values: readonly number[],
  pivot: readonly number[],
  from: PlacedIn,
  to: PlacedIn,
  near: number[],
): number[] {
  const back = [-to.turn[0], -to.turn[1], -to.turn[2], to.turn[3]];
  // Where the pivot comes to in the scene, and from there into the other space.
  const place = [0, 1, 2].map((axis) => pivot[axis] + values[axis]);
  rotate(place, 0, [...from.turn], 0, place, 0);
  for (let axis = 0; axis < 3; axis++)
    place[axis] = (from.origin[axis] + from.length * place[axis] - to.origin[axis]) / to.length;
  rotate(place, 0, back, 0, place, 0);
  const q = [0, 0, 0, 1];
  eulerToQuaternion(
    q,
    0,
    'YXZ',
    values.slice(3).map((angle) => angle * RADIANS),
    0,
  );
  multiply(q, 0, [...from.turn], 0, q, 0);
  multiplyInverse(q, 0, [...to.turn], 0, q, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'YXZ', q, 0);
  unwindEuler(angles, 0, 'YXZ', near, 0);
  for (let axis = 0; axis < 3; axis++) near[axis] = angles[axis];
  return [...place.map((value, axis) => value - pivot[axis]), ...angles.map((angle) => angle * DEGREES)];
}
