import { type Curve, isCurve, type Scalar } from '../curve/curve.js';
import { entryOf } from '../record.js';
import { type Parts, partLabel, partNames } from '../rig/parts.js';
import type { Take } from '../take/take.js';
import { byContent, CHANNELS, type Channel, type ContentTable, channelsOf, targetsOf } from './content.js';
import { type Layer, PLACEMENT_CHANNELS, type PlacementChannel } from './layer.js';
import { maxWeight } from './mode.js';
import { type TargetAxis, type TargetField, targetScalars } from './target.js';
import { type OwnTime, ownTime, STILL_TIME } from './time.js';

/**
 * Names one thing that can be keyed: a channel of a joint, the weight of a layer, of a part or of a joint on it, or a
 * number of its placement or of a target. The weight of a group is named like that of a layer. Whoever lists, shows, picks, moves or deletes keys knows addresses, and nothing of where a
 * curve lies in the project.
 */
export type CurveAddress =
  | { readonly kind: 'channel'; readonly layer: string; readonly joint: string; readonly channel: Channel }
  | { readonly kind: 'weight'; readonly layer: string }
  | { readonly kind: 'part'; readonly layer: string; readonly part: string }
  | { readonly kind: 'joint'; readonly layer: string; readonly joint: string }
  | { readonly kind: 'placement'; readonly layer: string; readonly channel: PlacementChannel }
  | {
      readonly kind: 'target';
      readonly layer: string;
      /** The id of the target, and its joint. */
      readonly target: string;
      readonly joint: string;
      readonly field: TargetField;
      readonly channel: TargetAxis;
    };

/** Whether what stands at an address is content of its layer, counted by the layer's own time. */
export const isContent = ({ kind }: CurveAddress): boolean => kind === 'channel' || kind === 'target';

/** The axis of an address that has one: `tx`, `rx`, `sx`. */
export const axisOf = (address: CurveAddress): Channel | undefined =>
  (address.kind === 'channel' || address.kind === 'placement' || address.kind === 'target') &&
  address.channel !== 'along'
    ? address.channel
    : undefined;

/** Keys that are picked: of one curve, by their ids. */
export interface KeyPick {
  readonly address: CurveAddress;
  readonly keys: readonly string[];
}

const keyOf = new WeakMap<CurveAddress, string>();

/** The address as text, the same for equal addresses. */
export function addressKey(address: CurveAddress): string {
  let key = keyOf.get(address);
  if (key === undefined) {
    key = textOf(address);
    keyOf.set(address, key);
  }
  return key;
}

/** The address within its layer as text, the same on a copy of the layer. */
export const ownAddressKey = (address: CurveAddress): string => textOf({ ...address, layer: '' });

function textOf(address: CurveAddress): string {
  switch (address.kind) {
    case 'channel':
      return JSON.stringify(['channel', address.layer, address.joint, address.channel]);
    case 'weight':
      return JSON.stringify(['weight', address.layer]);
    case 'part':
      return JSON.stringify(['part', address.layer, address.part]);
    case 'joint':
      return JSON.stringify(['joint', address.layer, address.joint]);
    case 'placement':
      return JSON.stringify(['placement', address.layer, address.channel]);
    case 'target':
      return JSON.stringify(['target', address.layer, address.target, address.field, address.channel]);
  }
}

/**
 * What stands at an address of a layer: a number where nothing is keyed. Undefined for a channel without keys. A part
 * counts 1 where there is no mask and 0 where the mask does not list it, a joint counts 1.
 */
export function scalarAtAddress(layer: Layer, address: CurveAddress): Scalar | undefined {
  switch (address.kind) {
    case 'channel':
      return entryOf(channelsOf(layer), address.joint)?.[address.channel];
    case 'weight':
      return layer.weight;
    case 'part':
      return layer.mask ? (entryOf(layer.mask, address.part) ?? 0) : 1;
    case 'joint':
      return entryOf(layer.joints, address.joint) ?? 1;
    case 'placement':
      return layer.placement?.[address.channel] ?? 0;
    case 'target': {
      const target = targetsOf(layer).find(({ id }) => id === address.target);
      const values = target?.[address.field] as Readonly<Record<string, Scalar>> | undefined;
      return values?.[address.channel];
    }
  }
}

/** The curve at an address of a layer; undefined where nothing is keyed. */
export function curveAtAddress(layer: Layer, address: CurveAddress): Curve | undefined {
  const scalar = scalarAtAddress(layer, address);
  return scalar !== undefined && isCurve(scalar) ? scalar : undefined;
}

/** Between which values what stands at an address counts. */
export function rangeOfAddress(layer: Layer, address: CurveAddress): readonly [number, number] {
  if (address.kind === 'weight') return [0, maxWeight(layer.mode)];
  if (address.kind === 'part' || address.kind === 'joint') return [0, 1];
  return [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
}

/** By which time the keys of an address are counted: channels and targets by the layer's own, all others by the project's. */
export const timeOfAddress = (
  layer: Layer,
  address: CurveAddress,
  take: Take | undefined,
  fps: number,
): OwnTime => (isContent(address) ? ownTime(layer, take, fps) : STILL_TIME);

/** Every address of a layer at which something is said: its weight, parts and joints, placement, targets, keyed channels. */
export function addressesOf(layer: Layer, parts: Parts): CurveAddress[] {
  const { id } = layer;
  return [
    { kind: 'weight', layer: id },
    ...weightsWithin(layer, parts),
    ...placementAddresses(layer),
    ...byContent(CONTENT_ADDRESSES, layer.content, layer),
  ];
}

/** The addresses within each kind of content. */
const CONTENT_ADDRESSES: ContentTable<[Layer], CurveAddress[]> = {
  nothing: () => [],
  take: () => [],
  curves: (_, layer) => [...targetAddresses(layer), ...channelAddresses(layer)],
  contacts: () => [],
};

/**
 * The parts and joints of a layer that have a weight of their own. Of the parts those that count otherwise than most
 * do: on a layer that is limited to an arm the arm, on one that lets the torso count less the torso. `parts` are those
 * of all joints.
 */
export function weightsWithin(layer: Layer, parts: Parts): CurveAddress[] {
  const { id, mask, joints } = layer;
  const values = mask ? partNames(parts).map((part) => [part, entryOf(mask, part) ?? 0] as const) : [];
  const count = (wanted: number) => values.filter(([, value]) => value === wanted).length;
  const most = count(0) >= count(1) ? 0 : 1;
  return [
    ...values.flatMap(([part, value]): CurveAddress[] =>
      value === most ? [] : [{ kind: 'part', layer: id, part }],
    ),
    ...Object.entries(joints ?? {}).flatMap(([joint, value]): CurveAddress[] =>
      value === 1 ? [] : [{ kind: 'joint', layer: id, joint }],
    ),
  ];
}

/** The numbers of a layer's placement, if it has one. */
export const placementAddresses = (layer: Layer): CurveAddress[] =>
  layer.placement
    ? PLACEMENT_CHANNELS.map((channel) => ({ kind: 'placement', layer: layer.id, channel }))
    : [];

/** The numbers of a layer's targets. */
export const targetAddresses = (layer: Layer): CurveAddress[] =>
  targetsOf(layer).flatMap((target) =>
    targetScalars(target).map(
      ({ field, axis }): CurveAddress => ({
        kind: 'target',
        layer: layer.id,
        target: target.id,
        joint: target.joint,
        field,
        channel: axis,
      }),
    ),
  );

/** The channels of a layer that have keys. */
export const channelAddresses = (layer: Layer): CurveAddress[] =>
  Object.entries(channelsOf(layer)).flatMap(([joint, channels]) =>
    CHANNELS.filter((channel) => (channels[channel]?.keys.length ?? 0) > 0).map(
      (channel): CurveAddress => ({ kind: 'channel', layer: layer.id, joint, channel }),
    ),
  );

/** What an address is called, in words for people. The layer is not named. */
export function addressLabel(address: CurveAddress): string {
  switch (address.kind) {
    case 'channel':
      return `${address.joint} ${address.channel}`;
    case 'weight':
      return 'weight';
    case 'part':
      return partLabel(address.part);
    case 'joint':
      return address.joint;
    case 'placement':
      return `placement ${address.channel}`;
    case 'target':
      return `${address.joint} ${address.field === 'toward' ? 'toward' : 'target'} ${address.channel}`;
  }
}

/** The keys of some addresses that stand on a frame of their own, for picking a whole column. */
export const keysOn = (
  layer: Layer,
  addresses: readonly CurveAddress[],
  isOn: (frame: number) => boolean,
): KeyPick[] =>
  addresses.flatMap((address) => {
    const keys = curveAtAddress(layer, address)?.keys.filter((key) => isOn(key.frame)) ?? [];
    return keys.length > 0 ? [{ address, keys: keys.map(({ id }) => id) }] : [];
  });
