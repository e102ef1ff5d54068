import { isCurve, type Scalar } from '../curve/curve.js';
import type { CompiledLayer } from '../evaluate/compiled.js';
import { largestAlpha } from '../evaluate/gate.js';

/** Frames between two events at which it is looked at most: what a layer counts between two keys bends once or twice. */
const BETWEEN = 64;

/**
 * How little and how much a layer counts in a range of frames, both ends included, where it counts most: looked at wherever
 * a key of a weight lies or a span or fade begins or ends, and between those at every whole frame, or at 64 places. Mute and
 * solo are not in it.
 */
export function alphaRange(
  compiled: CompiledLayer,
  [first, last]: readonly [number, number],
): [number, number] {
  const events = [...new Set([first, ...eventsOf(compiled), last])]
    .filter((frame) => frame >= first && frame <= last)
    .sort((a, b) => a - b);
  let [least, most] = [Number.POSITIVE_INFINITY, 0];
  const look = (frame: number): void => {
    const counts = largestAlpha(compiled, frame);
    least = Math.min(least, counts);
    most = Math.max(most, counts);
  };
  for (const [k, from] of events.entries()) {
    look(from);
    const to = events[k + 1] ?? from;
    const whole = Math.ceil(to) - Math.floor(from) - 1;
    if (whole <= BETWEEN) for (let frame = Math.floor(from) + 1; frame < to; frame++) look(frame);
    else for (let i = 1; i < BETWEEN; i++) look(from + ((to - from) * i) / BETWEEN);
  }
  return [least, most];
}

/** Frames at which what a layer counts may bend. */
function eventsOf({ layer, groupWeight }: CompiledLayer): number[] {
  const { weight, mask = {}, joints = {}, span = {} } = layer;
  const scalars: Scalar[] = [weight, groupWeight, ...Object.values(mask), ...Object.values(joints)];
  const { start, end, fadeIn = 0, fadeOut = 0 } = span;
  return [
    ...scalars.flatMap((scalar) => (isCurve(scalar) ? scalar.keys.map(({ frame }) => frame) : [])),
    ...(start === undefined ? [] : [start, start + fadeIn]),
    ...(end === undefined ? [] : [end - fadeOut, end]),
  ];
}
