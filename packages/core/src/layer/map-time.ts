import { type Curve, isCurve, type Key, mergedKeys, type Scalar } from '../curve/curve.js';
import { emptyRecord } from '../record.js';
import type { Take } from '../take/take.js';
import {
  byContent,
  CHANNELS,
  type Channels,
  CONTENT_FACTS,
  type Content,
  type ContentTable,
  type JointChannels,
  keyed,
  takeOf,
} from './content.js';
import type { Group } from './group.js';
import type { HeldContacts, HeldLimb, StandingSpan } from './held-contacts.js';
import type { Layer, LayerTime, Placement, Span } from './layer.js';
import type { Project, TimeMark } from './project.js';
import type { Target } from './target.js';
import { contentRange, PLAIN_TIME } from './time.js';
import { byStretch, frameBy, isTakenOut, stretchOver, type TimeMap } from './time-map.js';
import type { Variant, VariantLayer } from './variant.js';

/**
 * Moves everything that a project has at frames through a map of time. Each type that holds frames has a table with a row
 * for each of its fields, so that a field that is added does not compile until it is said here what becomes of it.
 */

/** A project whose time was mapped, and what could not follow. */
export interface TimeMapped {
  readonly project: Project;
  /** Layers whose take or loop runs over a bend of the map, by name: they stay as they were. */
  readonly stayed: readonly string[];
  /** How many keys, and how many spans of contacts, stood on frames that were taken out and are gone. */
  readonly keysGone: number;
  readonly contactsGone: number;
}

/** What is known on the way through a project. */
interface Walk {
  readonly map: TimeMap;
  readonly project: Project;
  /** Ids of the layers that are moved; all, with what belongs to the project, where missing. */
  readonly only: ReadonlySet<string> | undefined;
  readonly stayed: string[];
  keysGone: number;
  contactsGone: number;
}

/** How the frames of something come to others: those of the project, or a layer's own. */
interface Clock {
  readonly to: (frame: number) => number;
  readonly gone: (frame: number) => boolean;
}

/** What becomes of each field of a type: a function of it, or nothing that has to do with frames. */
type Rows<T, A> = {
  readonly [K in keyof Required<T>]: 'no frames' | ((value: Exclude<T[K], undefined>, about: A) => T[K]);
};

function mapped<T extends object, A>(one: T, rows: Rows<T, A>, about: A): T {
  const out = { ...one } as Record<string, unknown>;
  for (const [name, row] of Object.entries<unknown>(rows)) {
    if (typeof row === 'function' && out[name] !== undefined) out[name] = row(out[name], about);
  }
  return out as T;
}

/**
 * A project of which everything is where a map of time takes it; with `only` the layers of those ids, with what variants say of
 * them and the weights of groups that have no others. Keys follow with their handles. A take or a loop cannot be bent: it
 * follows where all of it that plays is in one stretch of the map, else it stays and is named.
 */
export function mapTime(project: Project, map: TimeMap, only?: readonly string[]): TimeMapped {
  const walk: Walk = {
    map,
    project,
    only: only && new Set(only),
    stayed: [],
    keysGone: 0,
    contactsGone: 0,
  };
  return {
    project: mapped(project, PROJECT, walk),
    stayed: walk.stayed,
    keysGone: walk.keysGone,
    contactsGone: walk.contactsGone,
  };
}

const PROJECT: Rows<Project, Walk> = {
  name: 'no frames',
  fps: (fps, { map }) => fps * (map.rate ?? 1),
  range: (range, walk) => (walk.only ? range : mappedRange(range, walk)),
  metresPerUnit: 'no frames',
  rig: 'no frames',
  scene: 'no frames',
  parts: 'no frames',
  limbs: 'no frames',
  // Takes, what they are made by and their contacts are counted in samples.
  takes: 'no frames',
  mappings: 'no frames',
  poses: 'no frames',
  sets: 'no frames',
  views: 'no frames',
  marks: (marks, walk) => (walk.only ? marks : marks.map((mark) => mapped(mark, MARK, walk))),
  groups: (groups, walk) =>
    groups.map((group) => (movesGroup(walk, group) ? mapped(group, GROUP, walk) : group)),
  variants: (variants, walk) => variants.map((variant) => mapped(variant, VARIANT, walk)),
  limits: 'no frames',
  place: 'no frames',
  ground: 'no frames',
  // The number of frame 0, which stays what it is.
  first: 'no frames',
  layers: (layers, walk) =>
    layers.map((layer) => (!walk.only || walk.only.has(layer.id) ? mappedLayer(layer, walk) : layer)),
};

const mappedRange = ([first, last]: readonly [number, number], { map }: Walk): readonly [number, number] => [
  Math.min(frameBy(map, first), frameBy(map, last)),
  frameBy(map, last),
];

const movesGroup = ({ only, project }: Walk, { id }: Group): boolean =>
  !only || project.layers.every((layer) => layer.group !== id || only.has(layer.id));

const MARK: Rows<TimeMark, Walk> = {
  id: 'no frames',
  name: 'no frames',
  frame: (frame, { map }) => frameBy(map, frame),
};

const GROUP: Rows<Group, Walk> = {
  id: 'no frames',
  name: 'no frames',
  muted: 'no frames',
  solo: 'no frames',
  weight: (weight, walk) => mappedScalar(weight, walk, projectClock(walk)),
};

const VARIANT: Rows<Variant, Walk> = {
  name: 'no frames',
  layers(said, walk) {
    const out = emptyRecord<VariantLayer>();
    for (const [id, one] of Object.entries(said))
      out[id] = !walk.only || walk.only.has(id) ? mapped(one, VARIANT_LAYER, walk) : one;
    return out;
  },
  range: (range, walk) => (walk.only ? range : mappedRange(range, walk)),
};

const VARIANT_LAYER: Rows<VariantLayer, Walk> = {
  muted: 'no frames',
  weight: (weight, walk) => mappedScalar(weight, walk, projectClock(walk)),
};

/** What is known on the way through a layer: how its own frames move, and its time afterwards. */
interface LayerWalk {
  readonly walk: Walk;
  readonly own: Clock;
  readonly time: Pick<LayerTime, 'offset' | 'speed'>;
}

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
  weight: (weight, { walk }) => mappedScalar(weight, walk, projectClock(walk)),
  mask: (mask, { walk }) => mappedScalars(mask, walk, projectClock(walk)),
  joints: (joints, { walk }) => mappedScalars(joints, walk, projectClock(walk)),
  span: (span, { walk }) => mapped(span, SPAN, { walk, span }),
  time: (time, layer) => mapped(time, TIME, layer),
  placement: (placement, { walk }) => mapped(placement, PLACEMENT, walk),
  allows: 'no frames',
  ease: 'no frames',
  follows: 'no frames',
  // What stands at other frames is plain keys from then on.
  applied: () => [],
  content: (content, layer) => byContent(CONTENT, content, layer),
};

function mappedLayer(layer: Layer, walk: Walk): Layer {
  const about = layerWalk(walk, layer);
  const { offset, speed } = about.time;
  // What plays as it is gets a time of its own where it has to move.
  const timed = layer.time ?? (offset !== 0 || speed !== 1 ? PLAIN_TIME : undefined);
  return mapped(timed ? { ...layer, time: timed } : layer, LAYER, about);
}

const TIME: Rows<LayerTime, LayerWalk> = {
  offset: (_, { time }) => time.offset,
  speed: (_, { time }) => time.speed,
  loop: 'no frames',
  cycle: ([from, to], { own }) => [own.to(from), own.to(to)],
};

const placed = (value: Scalar, walk: Walk): Scalar => mappedScalar(value, walk, projectClock(walk));

const PLACEMENT: Rows<Placement, Walk> = {
  pivot: 'no frames',
  tx: placed,
  ty: placed,
  tz: placed,
  rx: placed,
  ry: placed,
  rz: placed,
};

const SPAN: Rows<Span, { readonly walk: Walk; readonly span: Span }> = {
  start: (start, { walk }) => frameBy(walk.map, start),
  end: (end, { walk }) => frameBy(walk.map, end),
  fadeIn: (frames, { walk, span }) => lengthFrom(walk.map, span.start, frames),
  fadeOut: (frames, { walk, span }) => lengthFrom(walk.map, span.end, -frames),
  shape: 'no frames',
};

/** How long a fade becomes that begins at an edge: as long as the frames that it takes. */
const lengthFrom = (map: TimeMap, edge: number | undefined, frames: number): number =>
  edge === undefined ? Math.abs(frames) : Math.abs(frameBy(map, edge + frames) - frameBy(map, edge));

/** What becomes of each kind of content. */
const CONTENT: ContentTable<[LayerWalk], Content> = {
  nothing: (content) => content,
  // What it is a change from is a sample of the take.
  take: (content) => content,
  curves: ({ channels, targets }, { walk, own }) =>
    keyed(
      mappedChannels(channels, walk, own),
      targets.map((target) => mapped(target, TARGET, { walk, own })),
    ),
  contacts: ({ kind, contacts }, { walk }) => ({
    kind,
    contacts: mapped(contacts, CONTACTS, { walk, contacts }),
  }),
};

interface TargetWalk {
  readonly walk: Walk;
  readonly own: Clock;
}

const stretch = <T extends Readonly<Record<string, Scalar>>>(values: T, { walk, own }: TargetWalk): T =>
  mappedScalars(values, walk, own) as T;

const TARGET: Rows<Target, TargetWalk> = {
  id: 'no frames',
  joint: 'no frames',
  space: 'no frames',
  at: stretch,
  turn: stretch,
  toward: stretch,
};

const CONTACTS: Rows<HeldContacts, { readonly walk: Walk; readonly contacts: HeldContacts }> = {
  fade(frames, { walk: { map }, contacts }) {
    const ends = Object.values(contacts.limbs).flatMap(({ spans }) => spans.flat());
    const stretch =
      ends.length > 0 ? stretchOver(map, Math.min(...ends), Math.max(...ends), 1) : map.stretches[0];
    return stretch && stretch.scale > 0 ? frames * stretch.scale : frames;
  },
  hips: 'no frames',
  // Read at frames of the project, as weights are.
  turn: (turn, { walk }) => mappedScalar(turn, walk, projectClock(walk)),
  like: 'no frames',
  limbs(limbs, { walk }) {
    const out = emptyRecord<HeldLimb>();
    for (const [name, limb] of Object.entries(limbs)) out[name] = mapped(limb, HELD_LIMB, walk);
    return out;
  },
};

const HELD_LIMB: Rows<HeldLimb, Walk> = {
  points: 'no frames',
  spans(spans, walk) {
    const { map } = walk;
    const out: StandingSpan[] = [];
    for (const [from, to] of spans) {
      if (isTakenOut(map, from) && isTakenOut(map, to)) {
        walk.contactsGone++;
        continue;
      }
      const span: StandingSpan = [frameBy(map, from), frameBy(map, to)];
      const before = out[out.length - 1];
      // Spans between which all frames were taken out are one.
      if (before && span[0] <= before[1]) out[out.length - 1] = [before[0], Math.max(before[1], span[1])];
      else out.push(span);
    }
    return out;
  },
};

const projectClock = ({ map }: Walk): Clock => ({
  to: (frame) => frameBy(map, frame),
  gone: (frame) => isTakenOut(map, frame),
});

const NO_CHANGE: Clock = { to: (frame) => frame, gone: () => false };

/** How a layer's own frames move, and the time that it has afterwards. */
function layerWalk(walk: Walk, layer: Layer): LayerWalk {
  const { map, project } = walk;
  const time = layer.time ?? PLAIN_TIME;
  const { offset, speed } = time;
  if (map.rate !== undefined) {
    const { rate, whole } = map;
    const to = (own: number) => own * rate;
    // A key is on a whole frame of the project, whatever the layer's own time is.
    const onWhole = (own: number) => (Math.round(offset * rate + to(own) / speed) - offset * rate) * speed;
    return {
      walk,
      own: { to: whole && speed !== 0 ? onWhole : to, gone: () => false },
      time: { offset: offset * rate, speed },
    };
  }
  if (speed === 0 || !CONTENT_FACTS[layer.content.kind].timed) return { walk, own: NO_CHANGE, time };
  if (layer.content.kind === 'curves' && time.loop === 'none') {
    const toProject = (own: number) => offset + own / speed;
    return {
      walk,
      own: {
        to: (own) => (frameBy(map, toProject(own)) - offset) * speed,
        gone: (own) => isTakenOut(map, toProject(own)),
      },
      time,
    };
  }
  const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
  const followed = timeAsWhole(map, time, playsOver(project, layer, time, take));
  if (!followed) walk.stayed.push(layer.name);
  return { walk, own: NO_CHANGE, time: followed ?? time };
}

/** Frames that a take or a loop may reach beyond a stretch of the map and be in it all the same: recordings end on samples. */
const SLACK = 1;

/** The frames of the project over which the content of a layer plays. A loop has no end: it plays as long as its layer. */
function playsOver(
  project: Project,
  layer: Layer,
  { offset, speed, loop }: LayerTime,
  take: Take | undefined,
): readonly [number, number] {
  const [first, last] =
    loop === 'none'
      ? contentRange(layer, take, project.fps)
          .map((own) => offset + own / speed)
          .sort((a, b) => a - b)
      : project.range;
  const from = Math.max(first, layer.span?.start ?? first);
  return [from, Math.max(from, Math.min(last, layer.span?.end ?? last))];
}

/** The time of what can only be moved as a whole; undefined where the map bends while it plays. */
function timeAsWhole(
  map: TimeMap,
  { offset, speed }: LayerTime,
  [from, to]: readonly [number, number],
): Pick<LayerTime, 'offset' | 'speed'> | undefined {
  const stretch = stretchOver(map, from, to, SLACK);
  if (!stretch) return undefined;
  // All of it is on frames that are taken out: it plays from where they were.
  if (stretch.scale === 0) return { offset: offset + stretch.to - from, speed };
  return { offset: byStretch(stretch, offset), speed: speed / stretch.scale };
}

function mappedChannels(channels: Channels, walk: Walk, clock: Clock): Channels {
  const out = emptyRecord<JointChannels>();
  for (const [joint, curves] of Object.entries(channels)) {
    const own: { -readonly [C in keyof JointChannels]: JointChannels[C] } = {};
    for (const channel of CHANNELS) {
      const curve = curves[channel] && mappedCurve(curves[channel], walk, clock);
      if (curve && curve.keys.length > 0) own[channel] = curve;
    }
    if (Object.keys(own).length > 0) out[joint] = own;
  }
  return out;
}

function mappedScalars(
  scalars: Readonly<Record<string, Scalar>>,
  walk: Walk,
  clock: Clock,
): Readonly<Record<string, Scalar>> {
  const out = emptyRecord<Scalar>();
  for (const [name, scalar] of Object.entries(scalars)) out[name] = mappedScalar(scalar, walk, clock);
  return out;
}

/** A number stays; a curve of which no key is left keeps the value of its first. */
function mappedScalar(scalar: Scalar, walk: Walk, clock: Clock): Scalar {
  if (!isCurve(scalar)) return scalar;
  const curve = mappedCurve(scalar, walk, clock);
  return curve.keys.length > 0 || scalar.keys.length === 0 ? curve : scalar.keys[0].value;
}

/** Keys at other frames. Handles keep their part of the segment that they are in. */
function mappedCurve({ keys }: Curve, walk: Walk, { to, gone }: Clock): Curve {
  const moved = keys.flatMap((key, i): Key[] => {
    if (gone(key.frame)) return [];
    const frame = to(key.frame);
    const along = (other: Key | undefined): number =>
      other && other.frame !== key.frame
        ? (to(other.frame) - frame) / (other.frame - key.frame)
        : (walk.map.rate ?? 1);
    return [
      {
        ...key,
        frame,
        ...(key.in && { in: [key.in[0] * along(keys[i - 1]), key.in[1]] as const }),
        ...(key.out && { out: [key.out[0] * along(keys[i + 1]), key.out[1]] as const }),
      },
    ];
  });
  walk.keysGone += keys.length - moved.length;
  return { keys: mergedKeys([], moved) };
}
