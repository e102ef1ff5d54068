import type { HeldContacts, StandingSpan } from '../layer/held-contacts.js';
import type { Layer } from '../layer/layer.js';
import { type FrameClock, type FrameWays, lengthFrom, mapLayer, STILL_CLOCK } from '../layer/map-frames.js';
import { PLAIN_TIME } from '../layer/time.js';
import { quantile } from '../math/quantile.js';
import type { MotionEvent } from './events.js';
import type { Fit } from './kit.js';
import { type EventLine, type FrameMove, movedBy, shiftedBy, stretchedTo, type Timed } from './line.js';

/** Frames by which keys are apart at least that were apart by as much. */
const NEAREST_KEYS = 0.001;
/** Frames that a span of contacts has at least, if it had as many. */
const SHORTEST_SPAN = 2;

/** How the frames of a layer of a kit are moved by a fit other than each. */
export function moveOf(fit: Exclude<Fit, object>, kit: Timed, take: Timed, line: EventLine): FrameMove {
  if (fit === 'shift') return shiftedBy(take.range[0] - kit.range[0]);
  return fit === 'stretch' ? stretchedTo(kit.range, take.range) : movedBy(line);
}

const clockBy = ({ to, scale }: FrameMove): FrameClock => ({
  to,
  gone: () => false,
  along: (frame, side) => scale(frame, side),
});

/** How a move takes the frames of layers, groups and variants along; `spanGone` is told of spans that have become too short. */
export function waysBy(move: FrameMove, spanGone: () => void): FrameWays {
  const project = clockBy(move);
  return {
    project,
    own(layer) {
      const { offset, speed, loop } = layer.time ?? PLAIN_TIME;
      const plain = offset === 0 && speed === 1 && loop === 'none';
      if (layer.content.kind === 'curves' && plain) return { clock: project, time: { offset, speed } };
      const timed = layer.content.kind === 'take' || layer.content.kind === 'curves';
      return { clock: STILL_CLOCK, time: { offset: timed ? move.to(offset) : offset, speed } };
    },
    fade: (contacts) => fadeBy(project, contacts),
    spans: (spans) =>
      spans.flatMap(([from, to]): StandingSpan[] => {
        const span: StandingSpan = [move.to(from), move.to(to)];
        const length = span[1] - span[0];
        if (length >= SHORTEST_SPAN || length >= to - from - 1e-9) return [span];
        spanGone();
        return [];
      }),
    apart: NEAREST_KEYS,
    keysGone: () => {},
  };
}

/** The median of what becomes of the frames before and behind each span. */
function fadeBy(clock: FrameClock, { fade, limbs }: HeldContacts): number {
  const fades = Object.values(limbs).flatMap(({ spans }) =>
    spans.flatMap(([from, to]) => [lengthFrom(clock, from, -fade), lengthFrom(clock, to, fade)]),
  );
  return fades.length > 0 ? quantile(fades, 0.5) : fade;
}

/** First and last frame of the project at which a layer has something; undefined where it has nothing at frames. */
export function extentOf(layer: Layer): readonly [number, number] | undefined {
  let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  const looked: FrameMove = {
    to(frame) {
      first = Math.min(first, frame);
      last = Math.max(last, frame);
      return frame;
    },
    scale: () => 1,
  };
  mapLayer(
    layer,
    waysBy(looked, () => {}),
  );
  return last >= first ? [first, last] : undefined;
}

/** A layer as far as it is asked on which events it hangs. */
export interface Hanging {
  readonly layer: Layer;
  readonly fit: Fit;
}

/**
 * The events of a kit on which a layer hangs: by a fit to each event those of its name; by events those in between its first and
 * last frame, or where there are none the nearest on both sides; by others the ends that it is moved by.
 */
export function hangsOn({ layer, fit }: Hanging, { range, events }: Timed): readonly MotionEvent[] {
  const ends = [
    { name: 'start', frame: range[0] },
    { name: 'end', frame: range[1] },
  ];
  if (fit === 'shift') return ends.slice(0, 1);
  if (fit === 'stretch') return ends;
  if (fit !== 'events') return events.filter(({ name }) => name === fit.each);
  const extent = extentOf(layer);
  if (!extent) return [];
  const [first, last] = extent;
  const named = events.filter(({ name }) => name !== 'start' && name !== 'end');
  const within = named.filter(({ frame }) => frame >= first - 1e-6 && frame <= last + 1e-6);
  if (within.length > 0) return within;
  const all = [ends[0], ...named, ends[1]];
  return [all.findLast(({ frame }) => frame < first), all.find(({ frame }) => frame > last)].filter(
    (event) => event !== undefined,
  );
}
