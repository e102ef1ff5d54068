import { placedBelow } from '../../check/standing.js';
import { isCurve, newKey, type Scalar } from '../../curve/curve.js';
import { fewKeys } from '../../curve/few-keys.js';
import { compileStack } from '../../evaluate/compile.js';
import { targetsOf, withTargets } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { type Layer, newLayer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import {
  mapTarget,
  newTarget,
  PLACE_AXES,
  type Target,
  type TargetField,
  type TargetPlace,
  type TargetTurn,
  TURN_AXES,
} from '../../layer/target.js';
import { ownFrame } from '../../layer/time.js';
import { DEGREES, eulerToQuaternion, RADIANS, unwindEuler } from '../../math/euler.js';
import { multiply, rotate } from '../../math/quaternion.js';
import { compiledLimbs, limbThatEnds } from '../../rig/compiled-limbs.js';
import type { Placed } from '../../rig/placed.js';
import { rigHeight } from '../../rig/pose.js';
import { jointIndex, type Vector3 } from '../../rig/rig.js';
import { changeLayer } from '../change.js';
import { timeOf } from '../keys/curves.js';
import type { Added } from '../stack/layers.js';
import { spanAround } from '../weights/span.js';
import { placeOf, scalarAtOwn, turnOf, wayInto } from './spaces.js';

/** What a target is made from: a joint that stays where it is seen at a frame, in the world or on another joint. */
export interface NewTarget {
  readonly joint: string;
  readonly space?: string;
  readonly frame: number;
  /** Whether a new layer for it acts over the whole range; else its span follows its keys. */
  readonly whole?: boolean;
}

/** A target that holds a joint where it is among some joints. */
function targetThere(placed: Placed, { joint, space }: Pick<NewTarget, 'joint' | 'space'>): Target {
  const j = jointIndex(placed.rig, joint);
  const s = space === undefined ? -1 : jointIndex(placed.rig, space);
  return newTarget(joint, {
    ...(space !== undefined && { space }),
    at: placeOf(wayInto(placed, s, placed.matrices.subarray(16 * j + 12, 16 * j + 15))),
    turn: turnOf(placed, s, placed.orientations.subarray(4 * j, 4 * j + 4)),
  });
}

/**
 * Lets a joint stay where it is seen at a frame: in the world, or on another joint, with the distance that it has there.
 * It goes on the layer `on`, or on a new override layer above `above`. What is seen at the frame stays.
 */
export function addTarget(
  project: Project,
  wanted: NewTarget,
  where: { readonly on: string } | { readonly above: string },
): Added & { readonly target: string } {
  const { joint, space, frame } = wanted;
  const index = layerIndex(project, 'on' in where ? where.on : where.above);
  const target = targetThere(placedBelow(compileStack(project), frame, index + 1), wanted);
  if ('on' in where) {
    const changed = changeLayer(project, where.on, (layer) =>
      withTargets(layer, [...targetsOf(layer), target]),
    );
    return { project: changed, id: where.on, target: target.id };
  }
  const layer = newLayer(
    freeName(project, `${joint} ${space === undefined ? 'stays' : `on ${space}`}`, true),
    'override',
    {
      color: freeColor(project),
      ...(!wanted.whole && { span: spanAround(project, frame), follows: true }),
    },
  );
  return {
    project: insertLayer(project, withTargets(layer, [target]), index + 1),
    id: layer.id,
    target: target.id,
  };
}

/** Takes a target off its layer. */
export const removeTarget = (project: Project, id: string, target: string): Project =>
  changeLayer(project, id, (layer) =>
    withTargets(
      layer,
      targetsOf(layer).filter((one) => one.id !== target),
    ),
  );

/** Changes one target of a layer. */
export const changeTarget = (
  project: Project,
  id: string,
  target: string,
  change: (target: Target) => Target,
): Project =>
  changeLayer(project, id, (layer) =>
    withTargets(
      layer,
      targetsOf(layer).map((one) => (one.id === target ? change(one) : one)),
    ),
  );

/** Keys every number of a target at a frame of the project, as they are there. */
export function keyTarget(project: Project, id: string, target: string, frame: number): Project {
  const layer = layerById(project, id);
  if (!layer) return project;
  const own = ownFrame(targetTime(project, layer), frame);
  return changeTarget(project, id, target, (one) =>
    mapTarget(one, (scalar) => (isCurve(scalar) ? scalar : { keys: [newKey(own, scalar, layer.ease)] })),
  );
}

const targetTime = (project: Project, layer: Layer) =>
  timeOf(project, layer, { kind: 'channel', layer: layer.id, joint: '', channel: 'tx' });

/** Lets a target keep the orientation that there is, or hold the one that is seen at a frame. */
export function setTargetTurn(
  project: Project,
  id: string,
  target: string,
  turns: boolean,
  frame: number,
): Project {
  const index = layerIndex(project, id);
  return changeTarget(project, id, target, (one) => {
    const { turn: _, ...plain } = one;
    if (!turns) return plain;
    return { ...plain, turn: targetThere(placedBelow(compileStack(project), frame, index + 1), one).turn };
  });
}

/**
 * Says where the knee or elbow of a target's limb points, a place in the target's space: where it is at a frame, or
 * nothing. The place lies as far out as the limb is long, so that it is easy to take hold of.
 */
export function setTargetToward(
  project: Project,
  id: string,
  target: string,
  points: boolean,
  frame: number,
): Project {
  const index = layerIndex(project, id);
  return changeTarget(project, id, target, (one) => {
    const { toward: _, ...plain } = one;
    const limb = limbThatEnds(compiledLimbs(project.rig, project.limbs), jointIndex(project.rig, one.joint));
    if (!points || !limb) return plain;
    const placed = placedBelow(compileStack(project), frame, index + 1);
    const at = (j: number) => [...placed.matrices.subarray(16 * j + 12, 16 * j + 15)];
    const [top, inner, end] = [limb.chain[0], limb.chain[1], limb.chain[limb.chain.length - 1]].map(at);
    const middle = top.map((value, axis) => (value + end[axis]) / 2);
    const out = inner.map((value, axis) => value - middle[axis]);
    const length = Math.hypot(...out) || 1;
    const size = Math.hypot(...inner.map((value, axis) => value - top[axis]));
    const place = inner.map((value, axis) => value + (size * out[axis]) / length);
    const s = one.space === undefined ? -1 : jointIndex(project.rig, one.space);
    return { ...plain, toward: placeOf(wayInto(placed, s, Float64Array.from(place))) };
  });
}

/** Frames at which a target is looked at when it changes its space: all whole ones of the range. */
const wholeFrames = ({ range }: Project): number[] => {
  const frames: number[] = [];
  for (let frame = Math.ceil(range[0]); frame <= range[1]; frame++) frames.push(frame);
  return frames;
};

/** How far keys may pass from what was worked out: parts of the height, degrees. */
const CLOSE = { length: 2e-5, angle: 0.01 };

/**
 * Moves a target into another space with its motion kept over the range. Where both spaces stay apart as they are, numbers
 * stay numbers; else keys are set, as few as serve.
 */
export function setTargetSpace(
  project: Project,
  id: string,
  target: string,
  space: string | undefined,
): Project {
  const layer = layerById(project, id);
  const one = layer && targetsOf(layer).find((other) => other.id === target);
  if (!layer || !one || one.space === space) return project;
  const index = layerIndex(project, id);
  const before = targetsOf(layer).slice(0, targetsOf(layer).indexOf(one));
  // The space counts as it stands when the target's turn comes: after the curves and the targets before it.
  const stack = compileStack({
    ...project,
    layers: [...project.layers.slice(0, index), withTargets(layer, before)],
  });
  const [from, to] = [one.space, space].map((name) =>
    name === undefined ? -1 : jointIndex(project.rig, name),
  );
  const time = targetTime(project, layer);
  const rows = wholeFrames(project).map((frame) => {
    const placed = placedBelow(stack, frame, index + 1);
    const own = ownFrame(time, frame);
    return { own, moved: intoSpace(placed, from, to, one, own) };
  });
  const height = rigHeight(project.rig);
  return changeTarget(project, id, target, () => {
    const { space: _, ...moved } = fieldsThrough(rows, height, layer);
    return { ...moved, ...(space !== undefined && { space }) };
  });
}

/** The numbers of a target at an own frame, in another space. */
function intoSpace(placed: Placed, from: number, to: number, target: Target, own: number): Target {
  const read = (scalar: Scalar) => scalarAtOwn(scalar, own);
  const place = (values: TargetPlace): TargetPlace => {
    const at = Float64Array.from(PLACE_AXES, (axis) => read(values[axis]));
    if (from >= 0) {
      rotate(at, 0, placed.orientations, 4 * from, at, 0);
      for (let axis = 0; axis < 3; axis++) at[axis] += placed.matrices[16 * from + 12 + axis];
    }
    return placeOf(wayInto(placed, to, at));
  };
  const turn = (values: TargetTurn): TargetTurn => {
    const q = Float64Array.of(0, 0, 0, 1);
    eulerToQuaternion(
      q,
      0,
      'YXZ',
      TURN_AXES.map((axis) => read(values[axis]) * RADIANS),
      0,
    );
    if (from >= 0) multiply(q, 0, placed.orientations, 4 * from, q, 0);
    return turnOf(placed, to, q);
  };
  const point = ([tx, ty, tz]: Vector3): Vector3 => {
    const moved = place({ tx, ty, tz });
    return [moved.tx as number, moved.ty as number, moved.tz as number];
  };
  return {
    ...target,
    at: place(target.at),
    ...(target.turn && { turn: turn(target.turn) }),
    ...(target.toward && { toward: place(target.toward) }),
    ...(target.path && {
      path: { ...target.path, points: target.path.points.map(point), along: read(target.path.along) },
    }),
  };
}

/** The fields of a target through what they are at own frames: numbers where they never change. */
function fieldsThrough(
  rows: readonly { readonly own: number; readonly moved: Target }[],
  height: number,
  layer: Layer,
): Target {
  const sorted = [...rows]
    .sort((a, b) => a.own - b.own)
    .filter(({ own }, k, all) => k === 0 || own > all[k - 1].own + 1e-6);
  const first = sorted[0].moved;
  const through = (field: TargetField, axis: string): Scalar => {
    const angle = field === 'turn';
    const close = angle ? CLOSE.angle : CLOSE.length * height;
    const points = sorted.map(
      ({ own, moved }) => [own, (moved[field] as Readonly<Record<string, number>>)[axis]] as [number, number],
    );
    const values = points.map(([, value]) => value);
    if (Math.max(...values) - Math.min(...values) < close) return values[0];
    return { keys: fewKeys(points, close).map((key) => ({ ...key, ease: layer.ease ?? key.ease })) };
  };
  const smoothed = unwoundTurns(sorted.map(({ moved }) => moved));
  for (const [k, row] of sorted.entries())
    if (smoothed[k]) sorted[k] = { ...row, moved: { ...row.moved, turn: smoothed[k] } };
  return mapTarget(first, (_, axis, field) => through(field, axis));
}

/** Angles brought near those of the frame before, so that curves through them have no leaps. */
function unwoundTurns(targets: readonly Target[]): (TargetTurn | undefined)[] {
  const near = [0, 0, 0];
  return targets.map(({ turn }) => {
    if (!turn) return undefined;
    const angles = TURN_AXES.map((axis) => (turn[axis] as number) * RADIANS);
    unwindEuler(angles, 0, 'YXZ', near, 0);
    for (let axis = 0; axis < 3; axis++) near[axis] = angles[axis];
    const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
    return { rx, ry, rz };
  });
}
