import { type Difference, differenceOver } from '../../check/difference.js';
import { type Curve, isCurve, type Scalar } from '../../curve/curve.js';
import {
  type Channel,
  type Channels,
  channelsOf,
  contactsOf,
  type JointChannels,
  keyed,
  NO_CONTENT,
  targetsOf,
} from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { emptyRecord } from '../../record.js';
import { changeLayer, sameValue } from '../change.js';
import { type Added, deleteLayers, duplicateLayer, setLayer } from './layers.js';
import { sumOfCurves } from './sum-of-curves.js';

/** Takes all keys, or the take, out of a layer. Its weight, parts and span stay. */
export const clearLayer = (project: Project, id: string): Project =>
  changeLayer(project, id, ({ stands: _, ...layer }) => ({ ...layer, content: NO_CONTENT }));

const only = (channels: Channels, keep: (joint: string) => boolean): Channels =>
  Object.fromEntries(Object.entries(channels).filter(([joint]) => keep(joint)));

/**
 * Brings the keys of some joints out of a layer into a new one right above it, which counts and plays as that does. They
 * are moved, which changes nothing of what is seen where a change is meant in the axes of its joint; or copied, and then
 * the new layer of an additive one starts muted, since the change would count twice.
 */
export function bringOut(
  project: Project,
  id: string,
  joints: readonly string[],
  how: 'move' | 'copy',
): Added | undefined {
  const layer = layerById(project, id);
  const driven = layer && [...Object.keys(channelsOf(layer)), ...targetsOf(layer).map(({ joint }) => joint)];
  if (!layer || !driven?.some((joint) => joints.includes(joint))) return undefined;
  const added = duplicateLayer(project, id);
  const taken = changeLayer(added.project, added.id, (copy) => ({
    ...copy,
    content: keyed(
      only(channelsOf(copy), (joint) => joints.includes(joint)),
      targetsOf(copy).filter(({ joint }) => joints.includes(joint)),
    ),
  }));
  if (how === 'copy') return { project: taken, id: added.id };
  const live = setLayer(taken, added.id, { muted: layer.muted });
  const left = changeLayer(live, id, (own) => ({
    ...own,
    content: keyed(
      only(channelsOf(own), (joint) => !joints.includes(joint)),
      targetsOf(own).filter(({ joint }) => !joints.includes(joint)),
    ),
  }));
  return { project: left, id: added.id };
}

/** A layer that was brought together with the one below it, and by how much what is seen is another then. */
export interface Joined extends Difference {
  readonly project: Project;
}

/** Why a keyed layer cannot be brought together with the one below it, in words for people; undefined where it can. */
export function joinRefusal(project: Project, id: string): string | undefined {
  const index = layerIndex(project, id);
  const [below, layer] = [project.layers[index - 1], project.layers[index]];
  if (index < 2) return 'Only the base is below it';
  if (below.locked) return `${below.name} is locked`;
  const taken = [layer, below].find(({ content }) => content.kind === 'take');
  if (taken) return `${taken.name} plays a take and has no keys`;
  const holds = [layer, below].find((one) => contactsOf(one));
  if (holds) return `${holds.name} holds contacts and has no keys`;
  if (layer.mode !== below.mode) return `${layer.name} and ${below.name} are of two modes`;
  if (layer.mode === 'additive' && layer.axes !== below.axes)
    return `${layer.name} and ${below.name} mean their changes in different axes`;
  return undefined;
}

/**
 * Brings the keys of a layer into the one below it, which keeps its weight, parts, span and time. Where both have keys of
 * one channel, those of an override layer give way to the upper ones, those of additive layers are summed. It is exact
 * where both count alike and key different joints; else the difference, measured over the range, says by how much not.
 */
export function joinWithBelow(project: Project, id: string): Joined {
  const index = layerIndex(project, id);
  const [below, layer] = [project.layers[index - 1], project.layers[index]];
  const channels = emptyRecord<JointChannels>(channelsOf(below));
  for (const [joint, curves] of Object.entries(channelsOf(layer))) {
    const own: { [C in Channel]?: Curve } = { ...channels[joint] };
    for (const [name, curve] of Object.entries(curves)) {
      const channel = name as Channel;
      const other = own[channel];
      own[channel] =
        other && layer.mode === 'additive' && channel[0] !== 's' ? sumOfCurves(other, curve) : curve;
    }
    channels[joint] = own;
  }
  const one: Layer = {
    ...below,
    content: keyed(channels, [...targetsOf(below), ...targetsOf(layer)]),
    allows: allowsOfBoth(below, layer),
  };
  const joined = deleteLayers({ ...project, layers: project.layers.with(index - 1, one) }, [id]);
  const alike = (
    ['weight', 'mask', 'joints', 'span', 'time', 'placement', 'muted', 'solo', 'group'] as const
  ).every((field) => sameValue(plain(below[field]), plain(layer[field])));
  // Targets that are joined act after the curves of both.
  const apart =
    targetsOf(below).length + targetsOf(layer).length === 0 &&
    Object.keys(channelsOf(layer)).every((joint) => !(joint in channelsOf(below)));
  const exact = alike && apart && (layer.mode === 'override' || layer.axes === 'joint');
  return { project: joined, ...(exact ? NO_DIFFERENCE : differenceOver(project, joined)) };
}

const NO_DIFFERENCE: Difference = { length: 0, angle: 0, number: 0, joint: '', frame: 0 };

/** A weight without the ids of its keys, so that two can be compared. */
const plain = (value: unknown): unknown =>
  typeof value === 'object' && value !== null && 'keys' in value && isCurve(value as Scalar)
    ? (value as Curve).keys.map(({ id: _, ...key }) => key)
    : value;

const allowsOfBoth = (a: Layer, b: Layer): Layer['allows'] =>
  a.allows && b.allows ? { ...a.allows, ...b.allows } : undefined;
