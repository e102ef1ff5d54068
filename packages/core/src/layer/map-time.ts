import type { Take } from '../take/take.js';
import { CONTENT_FACTS, takeOf } from './content.js';
import type { Group } from './group.js';
import type { HeldContacts, StandingSpan } from './held-contacts.js';
import type { Layer, LayerTime } from './layer.js';
import {
  type FrameClock,
  type FrameWays,
  mapGroup,
  mapLayer,
  mapped,
  mapVariant,
  type OwnWay,
  type Rows,
  STILL_CLOCK,
} from './map-frames.js';
import type { Note } from './notes/note.js';
import type { Project, TimeMark } from './project.js';
import { contentRange, PLAIN_TIME } from './time.js';
import { byStretch, frameBy, isTakenOut, stretchOver, type TimeMap } from './time-map.js';

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
  readonly ways: FrameWays;
}

/**
 * A project of which everything is where a map of time takes it; with `only` the layers of those ids, with what variants say of
 * them and the weights of groups that have no others. Keys follow with their handles. A take or a loop cannot be bent: it
 * follows where all of it that plays is in one stretch of the map, else it stays and is named.
 */
export function mapTime(project: Project, map: TimeMap, only?: readonly string[]): TimeMapped {
  const stayed: string[] = [];
  const count = { keysGone: 0, contactsGone: 0 };
  const ways: FrameWays = {
    project: clockBy(
      map,
      (frame) => frameBy(map, frame),
      (frame) => isTakenOut(map, frame),
    ),
    own: (layer) => ownWay(map, project, layer, stayed),
    fade: (contacts) => mappedFade(map, contacts),
    spans(spans) {
      const kept = mappedSpans(map, spans);
      count.contactsGone += kept.gone;
      return kept.spans;
    },
    apart: 0,
    keysGone(keys) {
      count.keysGone += keys;
    },
  };
  const walk: Walk = { map, project, only: only && new Set(only), ways };
  return { project: mapped(project, PROJECT, walk), stayed, ...count };
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
  notes: (notes, walk) => (walk.only ? notes : notes.map((note) => mapped(note, NOTE, walk))),
  groups: (groups, walk) =>
    groups.map((group) => (movesGroup(walk, group) ? mapGroup(group, walk.ways) : group)),
  variants: (variants, walk) =>
    variants.map((variant) =>
      mapVariant(
        variant,
        walk.ways,
        (id) => !walk.only || walk.only.has(id),
        walk.only ? undefined : (range) => mappedRange(range, walk),
      ),
    ),
  limits: 'no frames',
  place: 'no frames',
  ground: 'no frames',
  // The number of frame 0, which stays what it is.
  first: 'no frames',
  layers: (layers, { only, ways }) =>
    layers.map((layer) => (!only || only.has(layer.id) ? mapLayer(layer, ways) : layer)),
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

const NOTE: Rows<Note, Walk> = {
  id: 'no frames',
  frame: (frame, { map }) => frameBy(map, frame),
  by: 'no frames',
  text: 'no frames',
  strokes: 'no frames',
  over: 'no frames',
  view: 'no frames',
  variant: 'no frames',
  voice: 'no frames',
  answer: 'no frames',
  done: 'no frames',
};

/** A clock of a map. Handles keep their part of the segment that they are in. */
const clockBy = (
  map: TimeMap,
  to: (frame: number) => number,
  gone: (frame: number) => boolean,
): FrameClock => ({
  to,
  gone,
  along: (frame, _, other) =>
    other !== undefined && other !== frame ? (to(other) - to(frame)) / (other - frame) : (map.rate ?? 1),
});

function mappedFade(map: TimeMap, { fade, limbs }: HeldContacts): number {
  const ends = Object.values(limbs).flatMap(({ spans }) => spans.flat());
  const stretch =
    ends.length > 0 ? stretchOver(map, Math.min(...ends), Math.max(...ends), 1) : map.stretches[0];
  return stretch && stretch.scale > 0 ? fade * stretch.scale : fade;
}

function mappedSpans(map: TimeMap, spans: readonly StandingSpan[]): { spans: StandingSpan[]; gone: number } {
  const out: StandingSpan[] = [];
  let gone = 0;
  for (const [from, to] of spans) {
    if (isTakenOut(map, from) && isTakenOut(map, to)) {
      gone++;
      continue;
    }
    const span: StandingSpan = [frameBy(map, from), frameBy(map, to)];
    const before = out[out.length - 1];
    // Spans between which all frames were taken out are one.
    if (before && span[0] <= before[1]) out[out.length - 1] = [before[0], Math.max(before[1], span[1])];
    else out.push(span);
  }
  return { spans: out, gone };
}

/** How a layer's own frames move, and the time that it has afterwards. */
function ownWay(map: TimeMap, project: Project, layer: Layer, stayed: string[]): OwnWay {
  const time = layer.time ?? PLAIN_TIME;
  const { offset, speed } = time;
  if (map.rate !== undefined) {
    const { rate, whole } = map;
    const to = (own: number) => own * rate;
    // A key is on a whole frame of the project, whatever the layer's own time is.
    const onWhole = (own: number) => (Math.round(offset * rate + to(own) / speed) - offset * rate) * speed;
    return {
      clock: clockBy(map, whole && speed !== 0 ? onWhole : to, () => false),
      time: { offset: offset * rate, speed },
    };
  }
  if (speed === 0 || !CONTENT_FACTS[layer.content.kind].timed) return { clock: STILL_CLOCK, time };
  if (layer.content.kind === 'curves' && time.loop === 'none') {
    const toProject = (own: number) => offset + own / speed;
    return {
      clock: clockBy(
        map,
        (own) => (frameBy(map, toProject(own)) - offset) * speed,
        (own) => isTakenOut(map, toProject(own)),
      ),
      time,
    };
  }
  const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
  const followed = timeAsWhole(map, time, playsOver(project, layer, time, take));
  if (!followed) stayed.push(layer.name);
  return { clock: STILL_CLOCK, time: followed ?? time };
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
