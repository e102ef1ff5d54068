import type { Curve, Key, Scalar } from '../curve/curve.js';
import type { Group } from '../layer/group.js';
import {
  CHANNELS,
  channelsOf,
  type Layer,
  type LayerTime,
  PLACEMENT_CHANNELS,
  type Placement,
  takeOf,
} from '../layer/layer.js';
import type { Project } from '../layer/project.js';
import type { Variant } from '../layer/variant.js';
import { emptyRecord } from '../record.js';
import { findParts } from '../rig/parts.js';
import type { Take } from '../take/take.js';
import type {
  StackFile,
  StackFileCurve,
  StackFileGroup,
  StackFileKey,
  StackFileLayer,
  StackFileScalar,
  StackFileVariant,
} from './stack-schema.js';

/** Name of the character's file beside a stack. */
export const RIG_FILE = 'rig.glb';

/** The stack file of a project. `fileOf` names the file of a take, by its id. */
export function stackOf(project: Project, fileOf: (takeId: string) => string): StackFile {
  const found = findParts(project.rig);
  const parts = emptyRecord<string[]>();
  for (const [j, part] of project.parts.entries()) {
    if (part === found[j]) continue;
    parts[part] ??= [];
    parts[part].push(project.rig.joints[j].name);
  }
  return {
    format: 'evlay-stack',
    version: 1,
    fps: project.fps,
    range: [...project.range],
    metresPerUnit: project.metresPerUnit,
    ...(project.character && { rig: RIG_FILE }),
    ...(Object.keys(parts).length > 0 && { parts }),
    ...(Object.keys(project.limbs).length > 0 && { limbs: limbsIn(project) }),
    ...(project.groups.length > 0 && { groups: project.groups.map(groupOf) }),
    ...(project.variants.length > 0 && { variants: project.variants.map(variantOf) }),
    layers: project.layers.map((layer) => layerOf(layer, project.takes, fileOf)),
  };
}

const limbsIn = ({ limbs }: Project): NonNullable<StackFile['limbs']> =>
  Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(limbs).map(([name, limb]) => [
        name,
        limb && { chain: [...limb.chain], bend: [...limb.bend] as [number, number, number] },
      ]),
    ),
  );

const groupOf = ({ id, name, muted, solo, weight }: Group): StackFileGroup => ({
  id,
  name,
  ...(muted && { muted }),
  ...(solo && { solo }),
  weight: scalarOf(weight),
});

const variantOf = ({ name, layers, range }: Variant): StackFileVariant => ({
  name,
  layers: Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(layers).map(([id, { muted, weight }]) => [
        id,
        { ...(muted !== undefined && { muted }), ...(weight !== undefined && { weight: scalarOf(weight) }) },
      ]),
    ),
  ),
  ...(range && { range: [range[0], range[1]] as [number, number] }),
});

function layerOf(layer: Layer, takes: readonly Take[], fileOf: (takeId: string) => string): StackFileLayer {
  const played = takeOf(layer);
  const clip = takes.find((take) => take.id === played?.take)?.source.clip;
  const channels: NonNullable<StackFileLayer['channels']> = emptyRecord();
  for (const [joint, curves] of Object.entries(channelsOf(layer))) {
    channels[joint] = {};
    for (const channel of CHANNELS) if (curves[channel]) channels[joint][channel] = curveOf(curves[channel]);
  }
  return {
    id: layer.id,
    name: layer.name,
    ...(layer.color && { color: layer.color }),
    mode: layer.mode,
    ...(layer.axes !== 'joint' && { axes: layer.axes }),
    ...(layer.muted && { muted: true }),
    ...(layer.solo && { solo: true }),
    ...(layer.locked && { locked: true }),
    ...(layer.group !== undefined && { group: layer.group }),
    weight: scalarOf(layer.weight),
    ...(layer.mask && { mask: mapScalars(layer.mask) }),
    ...(layer.joints && { joints: mapScalars(layer.joints) }),
    ...(layer.span && { span: { ...layer.span } }),
    ...(layer.time && { time: timeOf(layer.time) }),
    ...(layer.placement && { placement: placementOf(layer.placement) }),
    ...(layer.allows && {
      allows: Object.fromEntries(Object.entries(layer.allows).map(([joint, list]) => [joint, [...list]])),
    }),
    ...(played && {
      take: {
        file: fileOf(played.take),
        ...(clip !== undefined && { clip }),
        reference: played.reference,
      },
    }),
    ...(Object.keys(channels).length > 0 && { channels }),
  };
}

const timeOf = ({ cycle, ...time }: LayerTime): StackFileLayer['time'] => ({
  ...time,
  ...(cycle && { cycle: [...cycle] }),
});

function placementOf(placement: Placement): StackFileLayer['placement'] {
  const values = PLACEMENT_CHANNELS.map((channel) => [channel, scalarOf(placement[channel])]);
  return { pivot: [...placement.pivot], ...Object.fromEntries(values) };
}

const mapScalars = (record: Readonly<Record<string, Scalar>>): Record<string, StackFileScalar> =>
  Object.fromEntries(Object.entries(record).map(([key, value]) => [key, scalarOf(value)]));

const scalarOf = (scalar: Scalar): StackFileScalar => (typeof scalar === 'number' ? scalar : curveOf(scalar));

const curveOf = (curve: Curve): StackFileCurve => ({ keys: curve.keys.map(keyOf) });

function keyOf(key: Key): StackFileKey {
  if (key.in || key.out) {
    return [
      key.frame,
      key.value,
      {
        ease: key.ease,
        ...(key.in && { in: [...key.in] as [number, number] }),
        ...(key.out && { out: [...key.out] as [number, number] }),
      },
    ];
  }
  return key.ease === 'smooth' ? [key.frame, key.value] : [key.frame, key.value, key.ease];
}
