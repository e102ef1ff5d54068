import { type Curve, EASES } from '../curve/curve.js';
import { entryOf } from '../record.js';
import { CHANNELS, type Channel, type Channels, channelsOf, type HasContent } from './content.js';

/** What can be worked out on the keys of a layer by numbers. */
export const APPLIED_KINDS = ['noise', 'overlap', 'follow', 'walk', 'hold'] as const;
export type AppliedKind = (typeof APPLIED_KINDS)[number];

/**
 * Something that was worked out on keys of a layer, with its numbers and the curves that were there before, so that the
 * numbers can be changed and it can be taken away. It has no effect on evaluation: the layer holds plain keys.
 */
export interface Applied {
  readonly kind: AppliedKind;
  /** Names of joints, in their order. */
  readonly joints: readonly string[];
  readonly numbers: Readonly<Record<string, number>>;
  /** The channels that it wrote, by joint. */
  readonly wrote: Readonly<Record<string, readonly Channel[]>>;
  /** Their curves before, as far as there were any. */
  readonly before: Channels;
  /** The stamp of what it wrote: where the curves have another one by now, keys were changed by hand since. */
  readonly stamp: number;
}

/** FNV-1a over 32 bits (Fowler, Noll, Vo): the offset basis and the prime. */
const BASIS = 0x811c9dc5;
const PRIME = 0x01000193;

/** A number that curves of the same keys share, whatever the ids of these are. */
export function stampOf(channels: Channels, wrote: Applied['wrote']): number {
  const bytes = new DataView(new ArrayBuffer(8));
  let hash = BASIS;
  const add = (value: number): void => {
    bytes.setFloat64(0, value);
    for (let k = 0; k < 8; k++) hash = Math.imul(hash ^ bytes.getUint8(k), PRIME) >>> 0;
  };
  const curve = ({ keys }: Curve): void => {
    for (const { frame, value, ease, in: into, out } of keys)
      for (const number of [frame, value, EASES.indexOf(ease), ...(into ?? [0]), ...(out ?? [0])])
        add(number);
  };
  for (const joint of Object.keys(wrote).sort())
    for (const channel of CHANNELS)
      if (wrote[joint].includes(channel)) {
        add(CHANNELS.indexOf(channel));
        curve(entryOf(channels, joint)?.[channel] ?? { keys: [] });
      }
  return hash;
}

/** A layer as far as it is asked what was worked out on it. */
export type AppliedOn = HasContent & { readonly applied?: readonly Applied[] };

const NONE: readonly Applied[] = [];
const standing = new WeakMap<AppliedOn, readonly Applied[]>();

/** What was worked out on the keys of a layer and stands as it was written, the last one last. Layers never change: asked once. */
export function standingOf(layer: AppliedOn): readonly Applied[] {
  if (!layer.applied) return NONE;
  let found = standing.get(layer);
  if (!found) {
    found = layer.applied.filter((one) => stampOf(channelsOf(layer), one.wrote) === one.stamp);
    standing.set(layer, found);
  }
  return found;
}
