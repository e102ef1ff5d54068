import { affine, type Curve } from '../../curve/curve.js';
import {
  type Channel,
  channelsOf,
  JOINT_CHANNELS,
  type JointChannels,
  keyed,
  targetsOf,
} from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { type OwnTime, ownTime } from '../../layer/time.js';
import { DEGREES, type EulerOrder, eulerToQuaternion, quaternionToEuler, RADIANS } from '../../math/euler.js';
import { emptyRecord, entryOf } from '../../record.js';
import { isFace, memberIndex, memberName } from '../../rig/members.js';
import {
  mirrorOf,
  mirrorSceneTurn,
  mirrorSceneWay,
  mirrorTransform,
  mirrorTurn,
  mirrorWay,
  partnerOf,
} from '../../rig/mirror.js';
import type { Rig } from '../../rig/rig.js';
import { changeLayer } from '../change.js';
import { curvesByMap, type TripleMap } from '../keys/curves-by-map.js';
import { slid } from '../keys/overlap.js';

/** Whose motion goes to the other side, and how much later it happens there. */
export interface MirrorMotion {
  /** Names of joints and face channels; all that the layer keys where undefined. */
  readonly joints?: readonly string[];
  /** Frames of the project: half a cycle, for a step of the other foot. */
  readonly shift: number;
}

/**
 * Mirrors the motion of a keyed layer: what a joint does its partner does, and what that did the joint. Of a rig whose
 * sides are alike in their axes each curve becomes one of the partner, with its keys, eases and handles; of others the
 * partner gets keys on all frames on which the joint has some. Joints without a partner stay. Mirrored again, all is as
 * it was.
 */
export function mirrorMotion(project: Project, id: string, { joints, shift }: MirrorMotion): Project {
  const { rig } = project;
  return changeLayer(project, id, (layer) => {
    if (layer.content.kind !== 'curves') return layer;
    const time = ownTime(layer, undefined, project.fps);
    const before = channelsOf(layer);
    const channels = emptyRecord<JointChannels>(before);
    const wanted = (joints ?? Object.keys(before)).flatMap((name) => {
      const j = memberIndex(rig, name);
      return j >= 0 && partnerOf(rig, j) >= 0 && entryOf(before, name) ? [j] : [];
    });
    // What is mirrored gives way: it comes back where its partner has something.
    if (!joints) for (const j of wanted) delete channels[memberName(rig, j)];
    const by = shift * time.speed;
    for (const j of wanted) {
      const own = entryOf(before, memberName(rig, j))!;
      channels[memberName(rig, partnerOf(rig, j))] = isFace(rig, j)
        ? { ...(own.m && { m: slid(own.m, by, time) }) }
        : mirroredChannels(rig, layer, j, own, by, time);
    }
    return {
      ...layer,
      content: keyed(channels, targetsOf(layer)),
      ...(shift !== 0 && fixedCycle(layer, time)),
    };
  });
}

/** A loop keeps the cycle that it has, wherever its keys come to. */
const fixedCycle = (layer: Layer, time: OwnTime): Pick<Layer, 'time'> =>
  time.loop === 'none'
    ? { time: layer.time }
    : { time: { ...layer.time!, cycle: [time.start, time.start + time.length] } };

function mirroredChannels(
  rig: Rig,
  layer: Layer,
  j: number,
  own: JointChannels,
  by: number,
  time: OwnTime,
): JointChannels {
  const out: { [C in Channel]?: Curve } = {};
  for (const channel of JOINT_CHANNELS) if (channel[0] === 's' && own[channel]) out[channel] = own[channel];
  for (const kind of ['t', 'r'] as const) {
    const names = (['x', 'y', 'z'] as const).map((axis) => `${kind}${axis}` as const);
    const curves = names.map((name) => own[name]);
    if (curves.every((curve) => curve === undefined)) continue;
    const { order } = rig.joints[mirrorOf(rig).partners[j]];
    const map = toOtherSide(rig, layer, j, kind);
    const mirrored = mirroredTriple(curves, map, kind === 'r' ? order : undefined);
    for (const [axis, name] of names.entries()) if (mirrored[axis]) out[name] = mirrored[axis];
  }
  for (const channel of JOINT_CHANNELS) {
    const curve = out[channel];
    if (curve) out[channel] = slid(curve, by, time);
  }
  return out;
}

/** What the mirror does with the numbers of a kind of channels of a joint on a layer. */
function toOtherSide(rig: Rig, layer: Layer, j: number, kind: 't' | 'r'): TripleMap {
  const other = rig.joints[mirrorOf(rig).partners[j]];
  const inJoint = layer.axes === 'joint';
  const turned = (map: (q: number[]) => readonly number[]) => (values: readonly number[]) => {
    const q = [0, 0, 0, 1];
    eulerToQuaternion(
      q,
      0,
      rig.joints[j].order,
      values.map((value) => value * RADIANS),
      0,
    );
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, other.order, [...map(q)], 0);
    return angles.map((angle) => angle * DEGREES);
  };
  if (layer.mode === 'override')
    return kind === 'r'
      ? turned((q) => mirrorTransform(rig, j, { rotation: q }).rotation!)
      : (values) => [...mirrorTransform(rig, j, { translation: values }).translation!];
  if (kind === 't') return (values) => (inJoint ? mirrorWay(rig, j, values) : mirrorSceneWay(rig, j, values));
  return turned((q) => (inJoint ? mirrorTurn(rig, j, q) : mirrorSceneTurn(rig, j, q)));
}

/** Numbers that tell a map of three numbers that only changes signs, or adds a constant, from others. */
const PROBES = [
  [0, 0, 0],
  [21, 0, 0],
  [0, 13, 0],
  [0, 0, 34],
  [-17, 29, 11],
  [8, -23, -31],
];

/** The signs and what is added, if that is all that a map does to each number. */
function byAxis(map: TripleMap): { signs: number[]; added: number[] } | undefined {
  const added = map(PROBES[0]);
  const signs = [0, 1, 2].map((axis) => Math.sign(map(PROBES[axis + 1])[axis] - added[axis]));
  const holds = PROBES.every((probe) =>
    map(probe).every((value, axis) => Math.abs(value - (added[axis] + signs[axis] * probe[axis])) < 1e-6),
  );
  const round = (value: number) => (Math.abs(value) < 1e-9 ? 0 : value);
  return holds ? { signs, added: added.map(round) } : undefined;
}

/** Curves of three numbers as a map makes them; `order` is that of the partner's angles. */
function mirroredTriple(
  curves: readonly (Curve | undefined)[],
  map: TripleMap,
  order: EulerOrder | undefined,
): (Curve | undefined)[] {
  const axes = byAxis(map);
  if (axes) return curves.map((curve, axis) => curve && affine(curve, axes.signs[axis], axes.added[axis]));
  return curvesByMap(curves, map, order);
}
