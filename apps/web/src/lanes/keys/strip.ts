import {
  CHANNELS,
  type Channel,
  type CurveAddress,
  channelAddresses,
  channelsOf,
  curveAtAddress,
  entryOf,
  isContent,
  type KeyPick,
  keysOn,
  type Layer,
  type OwnTime,
  ownerById,
  ownTime,
  type Project,
  placementAddresses,
  STILL_TIME,
  targetAddresses,
} from '@evlay/core';
import type { Ease } from '@evlay/core/curve';
import { limbsOf } from '../../editor/limbs.js';

/** Which keys stand together on one strip of the time axis: of a whole layer, of a joint, of one curve, of a placement, of a target. */
export type Strip =
  | { readonly kind: 'layer'; readonly layer: string }
  | { readonly kind: 'joint'; readonly layer: string; readonly joint: string }
  | { readonly kind: 'placement'; readonly layer: string }
  | { readonly kind: 'target'; readonly layer: string; readonly target: string }
  | { readonly kind: 'curve'; readonly layer: string; readonly address: CurveAddress };

/** By which time the keys of a strip are counted. */
export const timeOfStrip = (project: Project, layer: Layer, strip: Strip): OwnTime =>
  strip.kind === 'placement' || (strip.kind === 'curve' && !isContent(strip.address))
    ? STILL_TIME
    : ownTime(layer, undefined, project.fps);

const jointAddresses = (layer: Layer, joint: string): CurveAddress[] => {
  const channels = entryOf(channelsOf(layer), joint) ?? {};
  return CHANNELS.filter((channel) => channels[channel]).map((channel) => ({
    kind: 'channel',
    layer: layer.id,
    joint,
    channel,
  }));
};

function addressesOfStrip(layer: Layer, strip: Strip): readonly CurveAddress[] {
  switch (strip.kind) {
    case 'layer':
      return [...channelAddresses(layer), ...targetAddresses(layer)];
    case 'joint':
      return jointAddresses(layer, strip.joint);
    case 'placement':
      return placementAddresses(layer);
    case 'target':
      return targetAddresses(layer).filter(
        (address) => address.kind === 'target' && address.target === strip.target,
      );
    case 'curve':
      return [strip.address];
  }
}

/** What the keys of a strip are on each of its frames. */
export interface StripKeysFound {
  /** The own frames on which there are keys, ascending. */
  readonly frames: readonly number[];
  /** How the curves go on from the keys of a frame, where all do alike and not smoothly. */
  readonly eases: ReadonlyMap<number, Ease>;
}

const foundOf = new WeakMap<Layer, Map<string, StripKeysFound>>();

/** The keys of a strip by their frames; found once for each state of the layer. */
export function keysFound(layer: Layer, strip: Strip): StripKeysFound {
  const name =
    strip.kind === 'joint'
      ? `joint ${strip.joint}`
      : strip.kind === 'target'
        ? `target ${strip.target}`
        : strip.kind === 'curve'
          ? JSON.stringify(strip.address)
          : strip.kind;
  const known = foundOf.get(layer) ?? new Map<string, StripKeysFound>();
  foundOf.set(layer, known);
  let found = known.get(name);
  if (!found) {
    found = findKeys(layer, addressesOfStrip(layer, strip));
    known.set(name, found);
  }
  return found;
}

/** The own frames on which a strip has keys, ascending. */
export const framesOfStrip = (layer: Layer, strip: Strip): readonly number[] =>
  keysFound(layer, strip).frames;

function findKeys(layer: Layer, addresses: readonly CurveAddress[]): StripKeysFound {
  const eases = new Map<number, Ease>();
  for (const address of addresses)
    for (const { frame, ease } of curveAtAddress(layer, address)?.keys ?? []) {
      const before = eases.get(frame);
      eases.set(frame, before === undefined || before === ease ? ease : 'smooth');
    }
  const frames = [...eases.keys()].sort((a, b) => a - b);
  for (const frame of frames) if (eases.get(frame) === 'smooth') eases.delete(frame);
  return { frames, eases };
}

/**
 * The keys of a strip on those of its own frames for which `isOn` holds. With `linked` those that the other joints of
 * the limb have there come too.
 */
export function keysOfStrip(
  project: Project,
  strip: Strip,
  isOn: (own: number) => boolean,
  linked: boolean,
): KeyPick[] {
  const layer = ownerById(project, strip.layer);
  if (!layer) return [];
  const own = addressesOfStrip(layer, strip);
  const joint = strip.kind === 'joint' ? strip.joint : undefined;
  const limb = joint !== undefined && linked ? limbJointsOf(project, joint) : [];
  const all = limb.length > 0 ? limb.flatMap((one) => jointAddresses(layer, one)) : own;
  return keysOn(layer, all, isOn);
}

/** The joints of the limb that a joint is in, itself among them; none where it is in none but the trunk. */
function limbJointsOf(project: Project, joint: string): string[] {
  const { joints } = project.rig;
  const limb = limbsOf(project).find(
    ({ name, chain }) => name !== 'trunk' && chain.some((j) => joints[j].name === joint),
  );
  return limb ? limb.chain.map((j) => joints[j].name) : [];
}

const ofLayer = new WeakMap<readonly KeyPick[], Map<string, KeyPick[]>>();

/** Picks by the layer in which they are; sorted out once for each state of what is picked. */
function picksOfLayer(picks: readonly KeyPick[], layer: string): readonly KeyPick[] {
  let byLayer = ofLayer.get(picks);
  if (!byLayer) {
    byLayer = new Map();
    for (const pick of picks) {
      const list = byLayer.get(pick.address.layer);
      if (list) list.push(pick);
      else byLayer.set(pick.address.layer, [pick]);
    }
    ofLayer.set(picks, byLayer);
  }
  return byLayer.get(layer) ?? [];
}

const isOfStrip = (strip: Strip, address: CurveAddress): boolean => {
  if (strip.kind === 'layer') return isContent(address);
  if (strip.kind === 'placement') return address.kind === 'placement';
  if (strip.kind === 'target') return address.kind === 'target' && address.target === strip.target;
  if (strip.kind === 'joint') return address.kind === 'channel' && address.joint === strip.joint;
  const { address: own } = strip;
  const channel = (one: CurveAddress): Channel | string | undefined =>
    'channel' in one ? one.channel : undefined;
  const within = (one: CurveAddress) => ('joint' in one ? one.joint : 'part' in one ? one.part : undefined);
  return own.kind === address.kind && channel(own) === channel(address) && within(own) === within(address);
};

/** The own frames of a strip on which keys are picked. */
export function pickedFrames(layer: Layer, strip: Strip, picks: readonly KeyPick[]): ReadonlySet<number> {
  const frames = new Set<number>();
  for (const { address, keys } of picksOfLayer(picks, strip.layer)) {
    if (!isOfStrip(strip, address)) continue;
    const wanted = new Set(keys);
    for (const key of curveAtAddress(layer, address)?.keys ?? [])
      if (wanted.has(key.id)) frames.add(key.frame);
  }
  return frames;
}
