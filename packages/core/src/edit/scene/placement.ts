import { isCurve, newKey } from '../../curve/curve.js';
import { takeOf } from '../../layer/content.js';
import { type Layer, PLACEMENT_CHANNELS, type PlacementChannel } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { DEGREES, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { rotate } from '../../math/quaternion.js';
import { takeDuration } from '../../take/take.js';
import { changeLayer } from '../change.js';
import { mapPlacement, setValue, valueAt } from '../keys/curves.js';
import { setRange } from './project.js';
import { contentAlone, pivotOf, playedFrames, rootAt } from './root.js';

/** Numbers of a placement: moves in rig units, angles in degrees. */
export type PlacementValues = { readonly [C in PlacementChannel]: number };

/** Where a layer's performance is put at a frame; nowhere else than where it was recorded if it has no placement. */
export const placementAt = (project: Project, layer: string, frame: number): PlacementValues =>
  mapPlacement((channel) => valueAt(project, { kind: 'placement', layer, channel }, frame));

/** Whether a layer can be placed: it replaces, and has content that a root can have. */
export const canBePlaced = (layer: Layer): boolean =>
  layer.mode === 'override' && layer.content.kind !== 'nothing';

/** Sets numbers of a placement: everywhere where one has no keys, with a key at the frame where it has. */
export const setPlacement = (
  project: Project,
  layer: string,
  frame: number,
  values: Partial<PlacementValues>,
): Project =>
  PLACEMENT_CHANNELS.reduce((current, channel) => {
    const value = values[channel];
    return value === undefined
      ? current
      : setValue(current, { kind: 'placement', layer, channel }, frame, value);
  }, project);

/** Keys all numbers of a placement at a frame as they are there. */
export function keyPlacement(project: Project, id: string, frame: number): Project {
  const now = placementAt(project, id, frame);
  return changeLayer(setPlacement(project, id, frame, now), id, (layer) => {
    const { placement } = layer;
    if (!placement) return layer;
    const keyed = mapPlacement((channel) => {
      const value = placement[channel];
      return isCurve(value) ? value : { keys: [newKey(frame, now[channel])] };
    });
    return { ...layer, placement: { ...placement, ...keyed } };
  });
}

/**
 * Rotates a layer's performance so that it is turned as given, about a point of the scene that stays where it is: the
 * quaternion and the point as they are seen at the frame, both in the space in which it is placed.
 */
export function rotatePlacement(
  project: Project,
  id: string,
  frame: number,
  rotation: readonly number[],
  centre: readonly number[],
): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const now = placementAt(project, id, frame);
  const pivot = layer.placement?.pivot ?? pivotOf(project, layer);
  const q = [0, 0, 0, 1];
  eulerToQuaternion(q, 0, 'YXZ', [now.rx * RADIANS, now.ry * RADIANS, now.rz * RADIANS], 0);
  const back = [-q[0], -q[1], -q[2], q[3]];
  const moved = [now.tx, now.ty, now.tz];
  // Where the point was before it was placed, and where the new rotation takes that.
  const arm = [0, 1, 2].map((axis) => centre[axis] - pivot[axis] - moved[axis]);
  rotate(arm, 0, back, 0, arm, 0);
  rotate(arm, 0, [...rotation], 0, arm, 0);
  const angles = [0, 0, 0];
  quaternionToEuler(angles, 0, 'YXZ', [...rotation], 0);
  const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
  const [tx, ty, tz] = [0, 1, 2].map((axis) => centre[axis] - pivot[axis] - arm[axis]);
  return setPlacement(project, id, frame, { tx, ty, tz, rx, ry, rz });
}

/** Lets a layer's performance stand where it was recorded. */
export const clearPlacement = (project: Project, id: string): Project =>
  changeLayer(project, id, (layer) => ({ ...layer, placement: undefined }));

/** Seconds over which a layer that follows another fades in. */
const OVERLAP = 0.2;

/** The frame at which a layer that plays a take ends: its take, its span, or the range where neither ends. */
function endOf(project: Project, layer: Layer): number {
  const played = playedFrames(project, layer)?.last ?? project.range[1];
  return Math.min(played, layer.span?.end ?? played);
}

/**
 * Lines a layer up behind another that plays a take: it begins to play where that one ends, in time and in position,
 * heading the same way, and fades in over the last fifth of a second of it. The range is stretched to its end, where
 * it has one. Whatever their speeds and loops: a layer that plays backwards begins with its last sample.
 */
export function lineUp(project: Project, id: string, after: string): Project {
  const [layer, other] = [layerById(project, id), layerById(project, after)];
  const take = project.takes.find((one) => layer && one.id === takeOf(layer)?.take);
  if (!layer || !other || !take || !takeOf(other) || id === after) return project;
  const { fps } = project;
  const speed = layer.time?.speed ?? 1;
  const length = speed === 0 ? 0 : (takeDuration(take) * fps) / Math.abs(speed);
  const fade = Math.min(Math.round(OVERLAP * fps), Math.floor(length / 2));
  const start = Math.round(endOf(project, other)) - fade;
  const moved = changeLayer(project, id, (old) => ({
    ...old,
    placement: undefined,
    time: { speed: 1, loop: 'none', ...old.time, offset: speed < 0 ? start + length : start },
    span: { start, fadeIn: fade },
  }));
  const alone = (of: string) => contentAlone(moved, layerById(moved, of)!);
  const [there, here] = [rootAt(alone(after), start), rootAt(alone(id), start)];
  const placed = setPlacement(moved, id, start, {
    tx: there.position[0] - here.position[0],
    tz: there.position[2] - here.position[2],
    ry: there.heading - here.heading,
  });
  const last = playedFrames(placed, layerById(placed, id)!)?.last ?? start;
  return setRange(placed, project.range[0], Math.max(project.range[1], Math.round(last)));
}
