import { type Curve, FRAME_TOLERANCE, isCurve, type Key, mergedKeys, type Scalar } from '../curve/curve.js';
import { emptyRecord } from '../record.js';
import {
  byContent,
  CHANNELS,
  type Channels,
  type Content,
  type ContentTable,
  type JointChannels,
  keyed,
} from './content.js';
import type { Group } from './group.js';
import type { HeldContacts, HeldLimb, StandingSpan, Stands } from './held-contacts.js';
import type { Layer, LayerTime, Placement, Span } from './layer.js';
import type { Target } from './target.js';
import { PLAIN_TIME } from './time.js';
import type { Variant, VariantLayer } from './variant.js';

/**
 * Moves everything that a layer, a group or a variant has at frames. Each type that holds frames has a table with a row for each
 * of its fields, so that a field that is added does not compile until it is said here what becomes of it.
 */

/** How some frames come to others: those of the project, or a layer's own. */
export interface FrameClock {
  readonly to: (frame: number) => number;
  /** Whether what stands on a frame is taken out. */
  readonly gone: (frame: number) => boolean;
  /** How many times as long a handle becomes that points from a key to one side, up to where the next key there is. */
  readonly along: (frame: number, side: -1 | 1, other: number | undefined) => number;
}

/** In which way frames are moved. */
export interface FrameWays {
  readonly project: FrameClock;
  /** How a layer's own frames move, and the time that it has afterwards. */
  readonly own: (layer: Layer) => OwnWay;
  /** What becomes of the frames over which contacts come and go. */
  readonly fade: (contacts: HeldContacts) => number;
  /** What becomes of the spans over which a limb stands. */
  readonly spans: (spans: readonly StandingSpan[]) => readonly StandingSpan[];
  /** Frames by which keys are apart at least, where they were so before. */
  readonly apart: number;
  /** Told how many keys are gone. */
  readonly keysGone: (count: number) => void;
}

export interface OwnWay {
  readonly clock: FrameClock;
  readonly time: Pick<LayerTime, 'offset' | 'speed'>;
}

/** A clock that changes nothing. */
export const STILL_CLOCK: FrameClock = { to: (frame) => frame, gone: () => false, along: () => 1 };

/** What becomes of each field of a type: a function of it, or nothing that has to do with frames. */
export type Rows<T, A> = {
  readonly [K in keyof Required<T>]: 'no frames' | ((value: Exclude<T[K], undefined>, about: A) => T[K]);
};

export function mapped<T extends object, A>(one: T, rows: Rows<T, A>, about: A): T {
  const out = { ...one } as Record<string, unknown>;
  for (const [name, row] of Object.entries<unknown>(rows)) {
    if (typeof row === 'function' && out[name] !== undefined) out[name] = row(out[name], about);
  }
  return out as T;
}

/** A group with its weight at other frames. */
export const mapGroup = (group: Group, ways: FrameWays): Group => mapped(group, GROUP, ways);

const GROUP: Rows<Group, FrameWays> = {
  id: 'no frames',
  name: 'no frames',
  muted: 'no frames',
  solo: 'no frames',
  weight: (weight, ways) => mappedScalar(weight, ways, ways.project),
};

/** A variant at other frames; `moves` tells of which layers, by id, what it says is moved, and with `range` so is its range. */
export const mapVariant = (
  variant: Variant,
  ways: FrameWays,
  moves: (layer: string) => boolean,
  range: ((range: readonly [number, number]) => readonly [number, number]) | undefined,
): Variant => mapped(variant, VARIANT, { ways, moves, range });

interface VariantWalk {
  readonly ways: FrameWays;
  readonly moves: (layer: string) => boolean;
  readonly range: ((range: readonly [number, number]) => readonly [number, number]) | undefined;
}

const VARIANT: Rows<Variant, VariantWalk> = {
  name: 'no frames',
  layers(said, { ways, moves }) {
    const out = emptyRecord<VariantLayer>();
    for (const [id, one] of Object.entries(said))
      out[id] = moves(id) ? mapped(one, VARIANT_LAYER, ways) : one;
    return out;
  },
  range: (own, { range }) => (range ? range(own) : own),
};

const VARIANT_LAYER: Rows<VariantLayer, FrameWays> = {
  muted: 'no frames',
  weight: (weight, ways) => mappedScalar(weight, ways, ways.project),
};

/** What is known on the way through a layer. */
interface LayerWalk {
  readonly ways: FrameWays;
  readonly own: OwnWay;
}

const inProject = (value: Scalar, { ways }: LayerWalk): Scalar => mappedScalar(value, ways, ways.project);
const allInProject = (values: Readonly<Record<string, Scalar>>, { ways }: LayerWalk) =>
  mappedScalars(values, ways, ways.project);

const LAYER: Rows<Layer, LayerWalk> = {
  id: 'no frames',
  name: 'no frames',
  color: 'no frames',
  mode: 'no frames',
  axes: 'no frames',
  muted: 'no frames',
  solo: 'no frames',
  locked: 'no frames',
  group: 'no frames',
  weight: inProject,
  mask: allInProject,
  joints: allInProject,
  span: (span, { ways }) => mapped(span, SPAN, { ways, span }),
  time: (time, walk) => mapped(time, TIME, walk),
  placement: (placement, walk) => mapped(placement, PLACEMENT, walk),
  allows: 'no frames',
  ease: 'no frames',
  follows: 'no frames',
  // What stands at other frames is plain keys from then on.
  applied: () => [],
  ties: (ties, { ways, own }) =>
    ties.map((tie) => {
      // Curves of content are counted by the layer's own time.
      const { to } = /^\["(channel|target)"/.test(tie.curve) ? own.clock : ways.project;
      const at = ways.project.to(tie.at);
      return { ...tie, frame: to(tie.frame), at, after: ways.project.to(tie.at + tie.after) - at };
    }),
  stands: (stands, { own: { clock } }) => mapStands(stands, clock),
  content: (content, walk) => byContent(CONTENT, content, walk),
};

/** When limbs stand at other frames; spans of which nothing is left are gone. */
function mapStands(stands: Stands, { to }: FrameClock): Stands {
  const out = emptyRecord<Stands[string]>();
  for (const [limb, spans] of Object.entries(stands))
    out[limb] = spans.flatMap(([from, till]): StandingSpan[] => {
      const span: StandingSpan = [to(from), to(till)];
      return till > from && span[1] <= span[0] ? [] : [span];
    });
  return out;
}

/** A layer with all that it has at other frames. */
export function mapLayer(layer: Layer, ways: FrameWays): Layer {
  const own = ways.own(layer);
  const { offset, speed } = own.time;
  // What plays as it is gets a time of its own where it has to move.
  const timed = layer.time ?? (offset !== 0 || speed !== 1 ? PLAIN_TIME : undefined);
  return mapped(timed ? { ...layer, time: timed } : layer, LAYER, { ways, own });
}

const TIME: Rows<LayerTime, LayerWalk> = {
  offset: (_, { own }) => own.time.offset,
  speed: (_, { own }) => own.time.speed,
  loop: 'no frames',
  cycle: ([from, to], { own }) => [own.clock.to(from), own.clock.to(to)],
};

const PLACEMENT: Rows<Placement, LayerWalk> = {
  pivot: 'no frames',
  space: 'no frames',
  tx: inProject,
  ty: inProject,
  tz: inProject,
  rx: inProject,
  ry: inProject,
  rz: inProject,
};

const SPAN: Rows<Span, { readonly ways: FrameWays; readonly span: Span }> = {
  start: (start, { ways }) => ways.project.to(start),
  end: (end, { ways }) => ways.project.to(end),
  fadeIn: (frames, { ways, span }) => lengthFrom(ways.project, span.start, frames),
  fadeOut: (frames, { ways, span }) => lengthFrom(ways.project, span.end, -frames),
  shape: 'no frames',
};

/** How long a fade becomes that begins at an edge, `frames` before or behind it: as long as the frames that it takes. */
export function lengthFrom({ to }: FrameClock, edge: number | undefined, frames: number): number {
  if (edge === undefined) return Math.abs(frames);
  const [near, far] = [to(edge), to(edge + frames)];
  // Where both are moved alike it stays what it was, without rounding.
  return near - edge === far - (edge + frames) ? Math.abs(frames) : Math.abs(far - near);
}

/** What becomes of each kind of content. */
const CONTENT: ContentTable<[LayerWalk], Content> = {
  nothing: (content) => content,
  // What it is a change from is a sample of the take.
  take: (content) => content,
  curves: ({ channels, targets }, { ways, own }) =>
    keyed(
      mappedChannels(channels, ways, own.clock),
      targets.map((target) => mapped(target, TARGET, { ways, clock: own.clock })),
    ),
  contacts: ({ kind, contacts }, { ways }) => ({
    kind,
    contacts: mapped(contacts, CONTACTS, { ways, contacts }),
  }),
};

interface TargetWalk {
  readonly ways: FrameWays;
  readonly clock: FrameClock;
}

const inOwn = <T extends Readonly<Record<string, Scalar>>>(values: T, { ways, clock }: TargetWalk): T =>
  mappedScalars(values, ways, clock) as T;

const TARGET: Rows<Target, TargetWalk> = {
  id: 'no frames',
  joint: 'no frames',
  space: 'no frames',
  at: inOwn,
  turn: inOwn,
  toward: inOwn,
  path: (path, walk) => ({ ...path, ...inOwn({ along: path.along }, walk) }),
};

const CONTACTS: Rows<HeldContacts, { readonly ways: FrameWays; readonly contacts: HeldContacts }> = {
  fade: (_, { ways, contacts }) => ways.fade(contacts),
  hips: 'no frames',
  // Read at frames of the project, as weights are.
  turn: (turn, { ways }) => mappedScalar(turn, ways, ways.project),
  like: 'no frames',
  space: 'no frames',
  limbs(limbs, { ways }) {
    const out = emptyRecord<HeldLimb>();
    for (const [name, limb] of Object.entries(limbs)) out[name] = mapped(limb, HELD_LIMB, ways);
    return out;
  },
};

const HELD_LIMB: Rows<HeldLimb, FrameWays> = {
  points: 'no frames',
  spans: (spans, ways) => ways.spans(spans),
};

function mappedChannels(channels: Channels, ways: FrameWays, clock: FrameClock): Channels {
  const out = emptyRecord<JointChannels>();
  for (const [joint, curves] of Object.entries(channels)) {
    const own: { -readonly [C in keyof JointChannels]: JointChannels[C] } = {};
    for (const channel of CHANNELS) {
      const curve = curves[channel] && mappedCurve(curves[channel], ways, clock);
      if (curve && curve.keys.length > 0) own[channel] = curve;
    }
    if (Object.keys(own).length > 0) out[joint] = own;
  }
  return out;
}

function mappedScalars(
  scalars: Readonly<Record<string, Scalar>>,
  ways: FrameWays,
  clock: FrameClock,
): Readonly<Record<string, Scalar>> {
  const out = emptyRecord<Scalar>();
  for (const [name, scalar] of Object.entries(scalars)) out[name] = mappedScalar(scalar, ways, clock);
  return out;
}

/** A number stays; a curve of which no key is left keeps the value of its first. */
function mappedScalar(scalar: Scalar, ways: FrameWays, clock: FrameClock): Scalar {
  if (!isCurve(scalar)) return scalar;
  const curve = mappedCurve(scalar, ways, clock);
  return curve.keys.length > 0 || scalar.keys.length === 0 ? curve : scalar.keys[0].value;
}

/** Keys at other frames. Of those that come too near to one another the last stays. */
function mappedCurve({ keys }: Curve, ways: FrameWays, { to, gone, along }: FrameClock): Curve {
  const moved = keys.flatMap((key, i): (Key & { readonly before: number })[] => {
    const { frame, in: into, out } = key;
    if (gone(frame)) return [];
    return [
      {
        ...key,
        before: frame,
        frame: to(frame),
        ...(into && { in: [into[0] * along(frame, -1, keys[i - 1]?.frame), into[1]] as const }),
        ...(out && { out: [out[0] * along(frame, 1, keys[i + 1]?.frame), out[1]] as const }),
      },
    ];
  });
  const far = moved.filter(({ frame, before }, i) => {
    const next = moved[i + 1];
    return (
      !next ||
      ways.apart <= FRAME_TOLERANCE ||
      next.frame - frame >= ways.apart ||
      next.before - before < ways.apart
    );
  });
  ways.keysGone(keys.length - moved.length);
  return {
    keys: mergedKeys(
      [],
      far.map(({ before: _, ...key }) => key),
    ),
  };
}
