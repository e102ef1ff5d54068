import { type Curve, type Ease, isCurve, type Scalar } from '../curve/curve.js';
import { newId } from '../id.js';
import { entryOf } from '../record.js';
import { faceIndex } from '../rig/members.js';
import type { Part } from '../rig/parts.js';
import type { Rig, Vector3 } from '../rig/rig.js';
import type { Applied } from './applied.js';
import {
  CHANNELS,
  type Channel,
  type Content,
  channelsOf,
  JOINT_CHANNELS,
  NO_CONTENT,
  targetsOf,
} from './content.js';
import type { Stands } from './held-contacts.js';
import type { Mode } from './mode.js';
import { targetScalars } from './target.js';

/** The frames in which a layer acts, and the frames over which it comes and goes. */
export interface Span {
  readonly start?: number;
  readonly end?: number;
  readonly fadeIn?: number;
  readonly fadeOut?: number;
  readonly shape?: 'smooth' | 'linear';
}

/** In whose axes the change of an additive layer is meant. */
export const AXES = ['joint', 'world', 'character'] as const;
export type Axes = (typeof AXES)[number];

/** Whether a layer's content starts over, and whether the root then goes on from where it came to. */
export const LOOPS = ['none', 'repeat', 'travel'] as const;
export type Loop = (typeof LOOPS)[number];

/**
 * When a layer's content plays: its own frame is `(frame - offset) · speed`, counted at the project's rate.
 * `cycle` is what a loop repeats, in own frames; without it, all of the content.
 */
export interface LayerTime {
  readonly offset: number;
  readonly speed: number;
  readonly loop: Loop;
  readonly cycle?: readonly [number, number];
}

export const PLACEMENT_CHANNELS = ['tx', 'ty', 'tz', 'rx', 'ry', 'rz'] as const;
export type PlacementChannel = (typeof PLACEMENT_CHANNELS)[number];

/**
 * Moves the whole performance of an override layer: turned about the pivot, then moved. Angles are degrees. With a `space`, the
 * name of a joint or prop, it plays there.
 */
export type Placement = { readonly pivot: Vector3; readonly space?: string } & {
  readonly [C in PlacementChannel]: Scalar;
};

/** Keys of a curve on one frame that hang on an event of what is below: when that moves, they move along. */
export interface Tie {
  /** The curve within its layer, as `ownAddressKey` names it. */
  readonly curve: string;
  /** The frame of the keys, by the time of the curve. */
  readonly frame: number;
  /** The name of the event, and where it lies, in frames of the project. */
  readonly event: string;
  readonly at: number;
  /** Frames of the project from the event to the keys. */
  readonly after: number;
}

/** One entry of the stack: content, mode, weight, mask, timing. */
export interface Layer {
  readonly id: string;
  readonly name: string;
  readonly color?: string;
  readonly mode: Mode;
  /** For additive channels; elsewhere without effect. */
  readonly axes: Axes;
  readonly muted: boolean;
  readonly solo: boolean;
  readonly locked: boolean;
  /** The id of the group that it is in. The layers of a group follow one another. */
  readonly group?: string;
  /** 0 to 1, for an additive layer up to 2. */
  readonly weight: Scalar;
  /** Weight by part. Without a mask every joint counts 1; with one, a part that is not listed counts 0. */
  readonly mask?: Readonly<Record<Part, Scalar>>;
  /** A further factor for single joints, by name. */
  readonly joints?: Readonly<Record<string, Scalar>>;
  readonly span?: Span;
  /** Whether its span follows its keys: whoever edits them brings it along. No effect on evaluation. */
  readonly follows?: true;
  readonly time?: LayerTime;
  /** For override layers; elsewhere without effect. */
  readonly placement?: Placement;
  /** What may receive keys, by joint; everything where missing. No effect on evaluation. */
  readonly allows?: Readonly<Record<string, readonly Channel[]>>;
  /** The ease that new keys get; smooth where missing. No effect on evaluation. */
  readonly ease?: Ease;
  /** What was worked out on its keys, the last one last. No effect on evaluation. */
  readonly applied?: readonly Applied[];
  /** Keys that hang on events. No effect on evaluation. */
  readonly ties?: readonly Tie[];
  /**
   * When limbs stand by the keys of the layer, in its own frames, by the name of the limb: of a performance that became keys, or
   * corrected by hand; where missing it is found in what the keys show. No effect on evaluation.
   */
  readonly stands?: Stands;
  readonly content: Content;
}

/** A layer that counts in full everywhere, without content; `values` say what is different. */
export function newLayer(name: string, mode: Mode, values: Partial<Layer> = {}): Layer {
  return {
    id: newId(),
    name,
    mode,
    axes: 'joint',
    muted: false,
    solo: false,
    locked: false,
    weight: 1,
    content: NO_CONTENT,
    ...values,
  };
}

/** A layer that is switched on and counts 1 everywhere and always, in no group: what it brings, whatever it weighs. */
export function inFull(layer: Layer): Layer {
  const { mask: _, joints: __, span: ___, group: ____, ...plain } = layer;
  return { ...plain, muted: false, solo: false, weight: 1 };
}

/**
 * Colours that people with colour-vision deficiency can tell apart (Okabe and Ito, 2008), in the order in which layers
 * take them: yellow and orange last, since they are near the colour of what is lit.
 */
export const LAYER_COLORS = [
  '#56B4E9',
  '#009E73',
  '#CC79A7',
  '#0072B2',
  '#D55E00',
  '#F0E442',
  '#E69F00',
] as const;

/** Every curve of a layer's content with the joint or face channel, by name, and the channel that it drives. */
export function layerCurves(layer: Layer): { joint: string; channel: Channel; curve: Curve }[] {
  const found: { joint: string; channel: Channel; curve: Curve }[] = [];
  for (const [joint, channels] of Object.entries(channelsOf(layer))) {
    for (const channel of CHANNELS) {
      const curve = channels[channel];
      if (curve && curve.keys.length > 0) found.push({ joint, channel, curve });
    }
  }
  return found;
}

/** Frames at which a layer's content has keys, ascending, each once. */
export function keyFrames(layer: Layer): number[] {
  const frames = new Set<number>();
  for (const { curve } of layerCurves(layer)) for (const key of curve.keys) frames.add(key.frame);
  for (const target of targetsOf(layer))
    for (const { scalar } of targetScalars(target))
      if (isCurve(scalar)) for (const key of scalar.keys) frames.add(key.frame);
  return [...frames].sort((a, b) => a - b);
}

/** How many keys the curves of a layer have: a key is one joint's rotation, translation or scale, or a face channel, at one time. */
export function countKeys(layer: Layer): number {
  const keys = new Set<string>();
  for (const { joint, channel, curve } of layerCurves(layer))
    for (const { frame } of curve.keys) keys.add(`${channel[0]} ${frame} ${joint}`);
  return keys.size;
}

const allKeys = new WeakMap<Layer, number>();

/** How many keys all curves of a layer have, of its weights and placement too, as its file has them. Counted once for a layer. */
export function countAllKeys(layer: Layer): number {
  let count = allKeys.get(layer);
  if (count === undefined) {
    count = 0;
    for (const waiting: unknown[] = [layer]; waiting.length > 0; ) {
      const value = waiting.pop();
      if (typeof value !== 'object' || value === null) continue;
      for (const [name, inner] of Object.entries(value))
        if (name === 'keys' && Array.isArray(inner)) count += inner.length;
        else waiting.push(inner);
    }
    allKeys.set(layer, count);
  }
  return count;
}

/** The channels that a member of a rig has, by its name: those of a joint, or the one of a face channel. */
export const channelsOfMember = (rig: Rig, name: string): readonly Channel[] =>
  faceIndex(rig, name) >= 0 ? FACE_CHANNELS : JOINT_CHANNELS;

const FACE_CHANNELS = ['m'] as const;

/** Whether a layer lets a channel of a joint receive keys. */
export function allowsChannel(layer: Layer, joint: string, channel: Channel): boolean {
  return !layer.allows || (entryOf(layer.allows, joint)?.includes(channel) ?? false);
}

const tagsOf = new WeakMap<readonly Layer[], readonly string[]>();

/**
 * One or two letters that tell the layers apart beside their colours: the first letter of the name, and where
 * that is taken a second one from the next word or the next letter of the name, or a number. None has those of another. Found
 * once for a list.
 */
export function layerTags(layers: readonly Layer[]): readonly string[] {
  let tags = tagsOf.get(layers);
  if (!tags) {
    tags = findTags(layers);
    tagsOf.set(layers, tags);
  }
  return tags;
}

function findTags(layers: readonly Layer[]): string[] {
  const taken = new Set<string>();
  return layers.map((layer) => {
    const words = layer.name.toUpperCase().match(/[\p{L}\p{N}]+/gu) ?? ['?'];
    const first = words[0][0];
    const seconds = [...words.slice(1).map((word) => word[0]), ...words[0].slice(1), ...'23456789'];
    const known = [first, ...seconds.map((second) => first + second)];
    let tag = known.find((candidate) => !taken.has(candidate));
    for (let k = 10; tag === undefined; k++) if (!taken.has(first + k)) tag = first + k;
    taken.add(tag);
    return tag;
  });
}
