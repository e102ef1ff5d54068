import type { Curve } from '../curve/curve.js';
import type { HeldContacts } from './held-contacts.js';
import { MODES, type Mode } from './mode.js';
import type { Target } from './target.js';

/** The channels of a joint. Rotation channels are degrees in the document, in the joint's Euler order. */
export const JOINT_CHANNELS = ['tx', 'ty', 'tz', 'rx', 'ry', 'rz', 'sx', 'sy', 'sz'] as const;
/** All channels: those of joints, and the one that a face channel has. */
export const CHANNELS = [...JOINT_CHANNELS, 'm'] as const;
export type Channel = (typeof CHANNELS)[number];

/** What an additive take is a change from: its first sample, the rest pose, or a given sample. */
export type Reference = 'first' | 'rest' | number;

/** Curves by channel. A channel without keys changes nothing. */
export type JointChannels = { readonly [C in Channel]?: Curve };

/** Curves by joint or face channel, and channel. */
export type Channels = Readonly<Record<string, JointChannels>>;

/**
 * What a layer brings to the pose. Curves hold at least one key, or there are targets: a layer with neither has nothing.
 * Targets act after the curves, in their order.
 */
export type Content =
  | { readonly kind: 'nothing' }
  | {
      readonly kind: 'take';
      readonly take: string;
      readonly reference: Reference;
      /** Name of the character that plays it; the first where missing. */
      readonly character?: string;
    }
  | { readonly kind: 'curves'; readonly channels: Channels; readonly targets: readonly Target[] }
  | { readonly kind: 'contacts'; readonly contacts: HeldContacts };

export type ContentKind = Content['kind'];
export type ContentOf<K extends ContentKind> = Extract<Content, { kind: K }>;

/**
 * What one room of the code does with content, a row for each kind. Where a kind is added to {@link Content}, the compiler
 * names every table that has no row for it.
 */
export type ContentTable<Arguments extends readonly unknown[], Result> = {
  readonly [K in ContentKind]: (content: ContentOf<K>, ...rest: Arguments) => Result;
};

/** Does with content what the row of its kind does. */
export const byContent = <Arguments extends readonly unknown[], Result>(
  table: ContentTable<Arguments, Result>,
  content: Content,
  ...rest: Arguments
): Result => (table[content.kind] as (content: Content, ...rest: Arguments) => Result)(content, ...rest);

/** What holds of a kind of content, whatever is in it. */
interface ContentFacts {
  /** Whether a layer with it takes keys of joints. */
  readonly takesKeys: boolean;
  /** Whether it plays by the layer's own time: where not, offset, speed and loop change nothing. */
  readonly timed: boolean;
  /** The modes that a layer with it can have. */
  readonly modes: readonly Mode[];
}

export const CONTENT_FACTS: { readonly [K in ContentKind]: ContentFacts } = {
  nothing: { takesKeys: true, timed: false, modes: MODES },
  take: { takesKeys: false, timed: true, modes: MODES },
  curves: { takesKeys: true, timed: true, modes: MODES },
  contacts: { takesKeys: false, timed: false, modes: ['override'] },
};

export const NO_CONTENT: Content = { kind: 'nothing' };

/** Content that plays a take, named by its id, on a character, the first where none is named. */
export const playing = (take: string, reference: Reference = 'first', character?: string): Content => ({
  kind: 'take',
  take,
  reference,
  ...(character !== undefined && { character }),
});

/** Content of curves and targets; nothing where no curve has a key and there is no target. */
export function keyed(channels: Channels, targets: readonly Target[] = []): Content {
  const has =
    targets.length > 0 ||
    Object.values(channels).some((joint) =>
      Object.values(joint).some((curve) => curve && curve.keys.length > 0),
    );
  return has ? { kind: 'curves', channels, targets } : NO_CONTENT;
}

/** Content that holds contacts. */
export const holding = (contacts: HeldContacts): Content => ({ kind: 'contacts', contacts });

/** What holds content: a layer. */
export interface HasContent {
  readonly content: Content;
}

/** The curves of a layer's content; none where it has other content. */
export const channelsOf = ({ content }: HasContent): Channels =>
  content.kind === 'curves' ? content.channels : {};

const NO_TARGETS: readonly Target[] = [];

/** A layer with other curves; its targets stay. */
export const withChannels = <L extends HasContent>(layer: L, channels: Channels): L => ({
  ...layer,
  content: keyed(channels, targetsOf(layer)),
});

/** A layer with other targets; its curves stay. */
export const withTargets = <L extends HasContent>(layer: L, targets: readonly Target[]): L => ({
  ...layer,
  content: keyed(channelsOf(layer), targets),
});

/** The targets of a layer's content; none where it has other content. */
export const targetsOf = ({ content }: HasContent): readonly Target[] =>
  content.kind === 'curves' ? content.targets : NO_TARGETS;

/** The contacts that a layer holds; undefined where it has other content. */
export const contactsOf = ({ content }: HasContent): HeldContacts | undefined =>
  content.kind === 'contacts' ? content.contacts : undefined;

/** Whether a layer takes keys of joints: one that plays a take or holds contacts does not. */
export const takesKeys = ({ content }: HasContent): boolean => CONTENT_FACTS[content.kind].takesKeys;

/** Whether a layer brings nothing. */
export const isEmpty = ({ content }: HasContent): boolean => content.kind === 'nothing';

/** Whether what a layer brings is keyed: curves or targets. */
export const isKeyed = ({ content }: HasContent): boolean => content.kind === 'curves';

/** Which take a layer plays, and what it is a change from; undefined where it plays none. */
export const takeOf = ({ content }: HasContent): ContentOf<'take'> | undefined =>
  content.kind === 'take' ? content : undefined;
