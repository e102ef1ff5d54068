import { type Curve, FRAME_TOLERANCE, isCurve, type Key, newKey, type Scalar } from '../curve/curve.js';
import { cutCurve } from '../curve/cut.js';
import { curveAt } from '../curve/evaluate.js';
import { spanFactor } from '../evaluate/gate.js';
import { type Channels, channelsOf, isKeyed, keyed, targetsOf } from '../layer/content.js';
import { type Layer, PLACEMENT_CHANNELS, type Placement, type Span } from '../layer/layer.js';
import { mapTarget } from '../layer/target.js';
import { emptyRecord } from '../record.js';
import type { EachFit } from './kit.js';

/** Frames over which a copy of a layer comes and goes: keys of its weight stand so far beside it. */
const BESIDE = 0.001;

/** Why a layer cannot be put at each event of a name, in words for people; undefined where it can. */
export function eachRefusal({ content, time }: Layer): string | undefined {
  if (content.kind === 'take' || content.kind === 'contacts')
    return `a layer with ${content.kind === 'take' ? 'a take' : 'contacts'} cannot be put at each event`;
  if (time && time.loop !== 'none') return 'a layer that loops cannot be put at each event';
  if (time && time.speed !== 1) return 'a layer that plays at another speed cannot be put at each event';
  return undefined;
}

/** One copy of a layer: how far it is moved, and the frames that it has. */
interface Copy {
  readonly by: number;
  readonly from: number;
  readonly to: number;
}

/** Where the copies of a window around events lie: those that overlap meet in the middle, and all lie within a range. */
function copiesAt(
  { at, from, to }: EachFit,
  events: readonly number[],
  [first, last]: readonly [number, number],
): Copy[] {
  const frames = [...new Set(events)].sort((a, b) => a - b);
  const middle = (a: number, b: number) => (a + to + b + from) / 2;
  return frames.flatMap((frame, k): Copy[] => {
    const [before, after] = [frames[k - 1], frames[k + 1]];
    const begin = before === undefined ? frame + from : Math.max(frame + from, middle(before, frame));
    const end = after === undefined ? frame + to : Math.min(frame + to, middle(frame, after));
    const copy = { by: frame - at, from: Math.max(first, begin), to: Math.min(last, end) };
    return copy.to > copy.from ? [copy] : [];
  });
}

/**
 * A layer that does at each of some events what it does around one, for a {@link EachFit} in frames of the project: every curve
 * holds its part around the event once an event, and the weight is 0 between. Undefined where there is no event in the range.
 */
export function atEach(
  layer: Layer,
  fit: EachFit,
  events: readonly number[],
  range: readonly [number, number],
): Layer | undefined {
  const refused = eachRefusal(layer);
  if (refused) throw new Error(refused);
  const copies = copiesAt(fit, events, range);
  if (copies.length === 0) return undefined;
  const whole = (scalar: Scalar): Scalar =>
    isCurve(scalar) ? joined(copies.map((copy) => copyOf(scalar, copy))) : scalar;
  const record = (scalars: Readonly<Record<string, Scalar>> | undefined) =>
    scalars && mapRecord(scalars, whole);
  const { span, time, placement, mask, joints, ...rest } = layer;
  const offset = time?.offset ?? 0;
  const own = (scalar: Scalar): Scalar => whole(offset === 0 ? scalar : moved(scalar, offset));
  return {
    ...rest,
    applied: [],
    weight: weightOver(layer, copies),
    ...(mask && { mask: record(mask) }),
    ...(joints && { joints: record(joints) }),
    ...(placement && {
      placement: {
        pivot: placement.pivot,
        ...Object.fromEntries(PLACEMENT_CHANNELS.map((channel) => [channel, whole(placement[channel])])),
      } as Placement,
    }),
    ...(isKeyed(layer) && {
      content: keyed(
        mapRecord(channelsOf(layer), (curves) => mapRecord(curves as Record<string, Curve>, own)) as Channels,
        targetsOf(layer).map((target) => mapTarget(target, own)),
      ),
    }),
  };
}

function mapRecord<A, B>(record: Readonly<Record<string, A>>, map: (value: A) => B): Record<string, B> {
  const out = emptyRecord<B>();
  for (const [name, value] of Object.entries(record)) if (value !== undefined) out[name] = map(value);
  return out;
}

const moved = (scalar: Scalar, by: number): Scalar =>
  isCurve(scalar) ? { keys: scalar.keys.map((key) => ({ ...key, frame: key.frame + by })) } : scalar;

/** The part of a curve that a copy has, where it has it. */
const copyOf = (curve: Curve, { by, from, to }: Copy): Curve =>
  moved(cutCurve(curve, from - by, to - by), by) as Curve;

/** Copies one after the other; where two meet, the later one's key counts, to which the earlier one comes as it did. */
const joined = (copies: readonly Curve[]): Curve => ({
  keys: copies.flatMap(({ keys }, k) => {
    const [before, after] = [copies[k - 1]?.keys.at(-1), copies[k + 1]?.keys[0]];
    const [first, last] = [keys[0], keys[keys.length - 1]];
    const opens = before && first.frame <= before.frame + FRAME_TOLERANCE;
    const closes = after && last.frame >= after.frame - FRAME_TOLERANCE;
    const own = opens && before.in ? [{ ...first, in: before.in }, ...keys.slice(1)] : keys;
    return closes ? own.slice(0, -1) : own;
  }),
});

/** The weight of a layer over its copies: its own times its fades, within its span, and 0 beside them. */
function weightOver({ weight, span = {} }: Layer, copies: readonly Copy[]): Scalar {
  const parts = copies.flatMap((copy): Key[][] => {
    const { by } = copy;
    const from = Math.max(copy.from, (span.start ?? Number.NEGATIVE_INFINITY) + by);
    const to = Math.min(copy.to, (span.end ?? Number.POSITIVE_INFINITY) + by);
    if (to <= from) return [];
    const { keys } = copyOf(fadedWeight(weight, span, [copy.from - by, copy.to - by]), { by, from, to });
    return [[...keys.slice(0, -1), { ...keys[keys.length - 1], ease: 'linear' }]];
  });
  const keys = parts.flatMap((own, k): Key[] => {
    const [before, after] = [parts[k - 1]?.at(-1)?.frame, parts[k + 1]?.[0].frame];
    const [first, last] = [own[0].frame, own[own.length - 1].frame];
    const opens = before === undefined || first - before > 2 * BESIDE;
    const closes = after === undefined || after - last > 2 * BESIDE;
    const meets = after !== undefined && after - last <= FRAME_TOLERANCE;
    return [
      ...(opens ? [newKey(first - BESIDE, 0, 'linear')] : []),
      ...(meets ? own.slice(0, -1) : own),
      ...(closes ? [newKey(last + BESIDE, 0, 'linear')] : []),
    ];
  });
  return keys.length > 0 ? { keys } : 0;
}

/** The weight of a layer times the fades of its span, as a curve over some frames. */
function fadedWeight(weight: Scalar, span: Span, [from, to]: readonly [number, number]): Curve {
  const { start, end, fadeIn = 0, fadeOut = 0, shape = 'smooth' } = span;
  const risen = start !== undefined && fadeIn > 0 ? start + fadeIn : undefined;
  const falls = end !== undefined && fadeOut > 0 ? end - fadeOut : undefined;
  const known = isCurve(weight) ? weight : { keys: [newKey(from, weight)] };
  if (risen === undefined && falls === undefined) return known;
  if (!isCurve(weight) && (risen === undefined || falls === undefined || risen <= falls))
    return {
      keys: [
        ...(risen === undefined
          ? [newKey(Math.min(from, falls!) - 1, weight)]
          : [newKey(start!, 0, shape), newKey(risen, weight)]),
        ...(falls === undefined
          ? []
          : [...(falls === risen ? [] : [newKey(falls, weight, shape)]), newKey(end!, 0)]),
      ],
    };
  const faded = (a: number, b: number) =>
    throughFrames(
      (frame) => curveAt(known, frame) * spanFactor(span, frame),
      known.keys.map(({ frame }) => frame),
      [a, b],
    );
  if (risen !== undefined && falls !== undefined && falls < risen) return faded(start!, end!);
  // Where it counts in full the weight is what it was, key by key.
  const [full, less] = [risen ?? Math.min(from, falls!), falls ?? Math.max(to, risen!)];
  return joined([
    ...(risen === undefined ? [] : [faded(start!, risen)]),
    ...(less > full ? [cutCurve(known, full, less)] : []),
    ...(falls === undefined ? [] : [faded(falls, end!)]),
  ]);
}

/** Frames by which slopes are measured. */
const STEP = 1e-4;

/** A function over some frames as a curve: keys where it breaks and on whole frames, with handles along its slopes on both sides. */
function throughFrames(
  value: (frame: number) => number,
  breaks: readonly number[],
  [from, to]: readonly [number, number],
): Curve {
  const frames = [from, to, ...breaks.filter((frame) => frame > from && frame < to)];
  for (let frame = Math.ceil(from); frame <= to; frame++) frames.push(frame);
  frames.sort((a, b) => a - b);
  const apart = frames.filter((frame, k) => k === 0 || frame - frames[k - 1] > 100 * STEP);
  const slope = (frame: number, side: -1 | 1) => (side * (value(frame + side * STEP) - value(frame))) / STEP;
  return {
    keys: apart.map((frame, k): Key => {
      const [before, after] = [apart[k - 1], apart[k + 1]];
      return {
        ...newKey(frame, value(frame), 'bezier'),
        ...(before !== undefined && {
          in: [(before - frame) / 3, (slope(frame, -1) * (before - frame)) / 3],
        }),
        ...(after !== undefined && { out: [(after - frame) / 3, (slope(frame, 1) * (after - frame)) / 3] }),
      };
    }),
  };
}
