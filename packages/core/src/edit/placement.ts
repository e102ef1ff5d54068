import { isCurve, newKey, type Scalar, setKey } from '../curve/curve.js';
import { scalarAt } from '../curve/evaluate.js';
import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import { type Layer, PLACEMENT_CHANNELS, type Placement, type PlacementChannel } from '../layer/layer.js';
import { layerById, type Project } from '../layer/project.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS } from '../math/euler.js';
import { rotate } from '../math/quaternion.js';
import { globalMatrices, restPose } from '../rig/pose.js';
import type { Vector3 } from '../rig/rig.js';
import { takeDuration } from '../take/take.js';
import { changeLayer } from './change.js';
import { setRange } from './project.js';

/** Numbers of a placement: moves in rig units, angles in degrees. */
export type PlacementValues = { readonly [C in PlacementChannel]: number };

const mapChannels = <T>(map: (channel: PlacementChannel) => T): Record<PlacementChannel, T> =>
  Object.fromEntries(PLACEMENT_CHANNELS.map((channel) => [channel, map(channel)])) as Record<
    PlacementChannel,
    T
  >;

/** Where a layer's performance is put at a frame; nowhere else than where it was recorded if it has no placement. */
export const placementAt = (layer: Layer, frame: number): PlacementValues =>
  mapChannels((channel) =>
    layer.placement
      ? scalarAt(layer.placement[channel], frame, Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY)
      : 0,
  );

/** Whether a layer can be placed: it replaces, and has content that a root can have. */
export const canBePlaced = (layer: Layer): boolean =>
  layer.mode === 'override' && (layer.take !== undefined || Object.keys(layer.channels).length > 0);

/**
 * The point of the floor below the root where a layer begins to play: about it a new placement turns, so that the
 * character stays where it is.
 */
function pivotOf(project: Project, layer: Layer): Vector3 {
  const alone = {
    ...project,
    layers: [{ ...project.layers[0], take: layer.take, channels: layer.channels, time: layer.time }],
  };
  const start = layer.take ? (layer.time?.offset ?? 0) : project.range[0];
  const [x, , z] = rootAt(alone, start).place;
  return [x, 0, z];
}

/** Sets numbers of a placement: everywhere where a channel has no keys, with a key at the frame where it has. */
export function setPlacement(
  project: Project,
  id: string,
  frame: number,
  values: Partial<PlacementValues>,
): Project {
  return changeLayer(project, id, (layer) => {
    const before: Placement = layer.placement ?? { pivot: pivotOf(project, layer), ...mapChannels(() => 0) };
    const set = (channel: PlacementChannel): Scalar => {
      const value = values[channel];
      if (value === undefined) return before[channel];
      return isCurve(before[channel]) ? setKey(before[channel], frame, value) : value;
    };
    return { ...layer, placement: { pivot: before.pivot, ...mapChannels(set) } };
  });
}

/** Keys all numbers of a placement at a frame as they are there. */
export function keyPlacement(project: Project, id: string, frame: number): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const now = placementAt(layer, frame);
  const placed = setPlacement(project, id, frame, now);
  return changeLayer(placed, id, ({ placement, ...rest }) => ({
    ...rest,
    placement: {
      pivot: placement!.pivot,
      ...mapChannels((channel) => {
        const value = placement![channel];
        return isCurve(value) ? value : { keys: [newKey(frame, now[channel])] };
      }),
    },
  }));
}

/**
 * Turns a layer's performance so that it has the given turn, about a point of the scene that stays where it is: the
 * quaternion and the point as they are seen at the frame.
 */
export function turnPlacement(
  project: Project,
  id: string,
  frame: number,
  turn: readonly number[],
  about: readonly number[],
): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const now = placementAt(layer, frame);
  const pivot = layer.placement?.pivot ?? pivotOf(project, layer);
  const q = [0, 0, 0, 1];
  eulerToQuaternion(q, 0, 'YXZ', [now.rx * RADIANS, now.ry * RADIANS, now.rz * RADIANS], 0);
  const back = [-q[0], -q[1], -q[2], q[3]];
  const moved = [now.tx, now.ty, now.tz];
  // Where the point was before it was placed, and where the new turn takes that.
  const arm = [0, 1, 2].map((axis) => about[axis] - pivot[axis] - moved[axis]);
  rotate(arm, 0, back, 0, arm, 0);
  rotate(arm, 0, [...turn], 0, arm, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'YXZ', [...turn], 0);
  const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
  const [tx, ty, tz] = [0, 1, 2].map((axis) => about[axis] - pivot[axis] - arm[axis]);
  return setPlacement(project, id, frame, { tx, ty, tz, rx, ry, rz });
}

/** Lets a layer's performance stand where it was recorded. */
export const clearPlacement = (project: Project, id: string): Project =>
  changeLayer(project, id, (layer) => ({ ...layer, placement: undefined }));

/** Where the root is in the scene and which way it heads, in degrees about Y. */
function rootAt(project: Project, frame: number): { place: number[]; heading: number } {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const rest = globalMatrices(
    project.rig,
    restPose(project.rig),
    new Float64Array(16 * project.rig.joints.length),
  );
  const m = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
  // The turn since rest, of the way that is level at rest: +z of the scene.
  const level = [0, 1, 2].map((row) =>
    [0, 1, 2].reduce((sum, k) => {
      const length = rest[4 * k] ** 2 + rest[4 * k + 1] ** 2 + rest[4 * k + 2] ** 2;
      return sum + (m[4 * k + row] * rest[4 * k + 2]) / length;
    }, 0),
  );
  return { place: [m[12], m[13], m[14]], heading: Math.atan2(level[0], level[2]) * DEGREES };
}

/** Seconds over which a layer that follows another fades in. */
const OVERLAP = 0.2;

/**
 * Lines a layer up behind another that plays a take: it begins to play where that one ends, in time and in place,
 * heading the same way, and fades in over the last fifth of a second of it. The range is stretched to its end.
 */
export function lineUp(project: Project, id: string, after: string): Project {
  const [layer, other] = [layerById(project, id), layerById(project, after)];
  const [take, otherTake] = [layer, other].map((one) => project.takes.find((t) => t.id === one?.take?.id));
  if (!layer || !other || !take || !otherTake || id === after) return project;
  const { fps } = project;
  const length = (of: Layer, seconds: number) => (seconds * fps) / Math.abs(of.time?.speed ?? 1);
  const end = (other.time?.offset ?? 0) + length(other, takeDuration(otherTake));
  const fade = Math.min(Math.round(OVERLAP * fps), Math.floor(length(layer, takeDuration(take)) / 2));
  const start = Math.round(end) - fade;
  const moved = changeLayer(project, id, (old) => ({
    ...old,
    placement: undefined,
    time: { speed: 1, loop: 'none', ...old.time, offset: start },
    span: { start, fadeIn: fade },
  }));
  const only = (of: string): Project => ({
    ...moved,
    layers: [
      {
        ...layerById(moved, of)!,
        mode: 'override',
        span: undefined,
        mask: undefined,
        joints: undefined,
        weight: 1,
        muted: false,
      },
    ],
  });
  const [there, here] = [rootAt(only(after), start), rootAt(only(id), start)];
  const placed = setPlacement(moved, id, start, {
    tx: there.place[0] - here.place[0],
    tz: there.place[2] - here.place[2],
    ry: there.heading - here.heading,
  });
  const last = Math.round(start + length(layer, takeDuration(take)));
  return setRange(placed, project.range[0], Math.max(project.range[1], last));
}
